/** What a text codec's files are made of; the codecs are the library's names. */
type FileCodec = 'subrip' | 'webvtt'

/** What a file of texts begins with: nothing in SubRip, its name in WebVTT (W3C, 4.1). */
export const textFileHead = (codec: FileCodec): string => (codec === 'webvtt' ? 'WEBVTT\n\n' : '')

/**
 * One text as it stands in a file.
 * @param number counted from 1
 * @param shown when it is shown, from and to, in milliseconds
 * @param text as the codec's packets hold it; an empty line in it would end it, and goes
 */
export function textFileCue(
  codec: FileCodec,
  number: number,
  shown: { from: number; to: number },
  text: string,
): string {
  const mark = codec === 'webvtt' ? '.' : ','
  const lines = text
    .replaceAll(/\r\n?/g, '\n')
    .split('\n')
    .filter(line => line.trim() !== '')
  return `${number}\n${clockTime(shown.from, mark)} --> ${clockTime(shown.to, mark)}\n${lines.join('\n')}\n\n`
}

/** "01:02:03,004" from milliseconds. @param mark between seconds and thousandths */
export function clockTime(milliseconds: number, mark: string): string {
  const digits = (value: number, count: number) => String(Math.floor(value)).padStart(count, '0')
  const [hours, minutes, seconds] = [milliseconds / 3_600_000, (milliseconds / 60_000) % 60, (milliseconds / 1000) % 60]
  return `${digits(hours, 2)}:${digits(minutes, 2)}:${digits(seconds, 2)}${mark}${digits(milliseconds % 1000, 3)}`
}
