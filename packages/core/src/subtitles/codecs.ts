/** What a subtitle track holds: words with times, or pictures of words. */
export type SubtitleKind = 'text' | 'pictures'

/** Subtitle codecs that can be carried over, by the library's names. */
const kinds: Record<string, SubtitleKind> = {
  subrip: 'text',
  ass: 'text',
  webvtt: 'text',
  mov_text: 'text',
  text: 'text',
  dvd_subtitle: 'pictures',
  hdmv_pgs_subtitle: 'pictures',
}

/** Whether a subtitle codec holds text or pictures; null for one that cannot be carried over. */
export function subtitleKind(codec: string): SubtitleKind | null {
  return kinds[codec] ?? null
}
