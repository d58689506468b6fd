import { describeCodec } from '../codec-names.ts'
import { containerFacts } from '../spec/container.ts'
import type { DeliverySpec, SpecSubtitles } from '../spec/schema.ts'
import type { SourceFacts, SubtitleFacts, TrackRole } from '../facts.ts'
import { describeLanguage, languageOf } from '../languages.ts'
import type { Timeline } from '../treatment/timeline.ts'
import { subtitleKind, type SubtitleKind } from './codecs.ts'

/** A subtitle track as a result is to have it. */
export interface PlannedSubtitles extends Pick<SubtitleFacts, 'language' | 'title' | 'roles'> {
  /** Its place among the source's subtitle tracks, from 0. */
  position: number
  /** Codec in the source and in the result. */
  from: string
  to: string
}

/** A subtitle track as a file beside a result; pictures of a disc are two, of which the first names what lies in the second. */
export interface PlannedSubtitleFile extends PlannedSubtitles {
  /** What stands between the result's name and the ending: ".en.forced". */
  added: string
  endings: readonly [string, ...string[]]
}

/** Subtitles that a result has, and a sentence on each track that stays out although the spec keeps subtitles. */
export interface SubtitlesOfResult {
  tracks: PlannedSubtitles[]
  files: PlannedSubtitleFile[]
  notes: string[]
}

/** Which subtitle tracks of a source a result has, as what, in which order, and what is shown by itself; and which become files beside it. */
export function plannedSubtitles(
  { subtitles, courses }: Pick<SourceFacts, 'subtitles' | 'courses'>,
  spec: DeliverySpec,
  timeline: Timeline | undefined,
): SubtitlesOfResult {
  const rule = spec.video === null ? undefined : spec.subtitles
  if (!rule || subtitles.length === 0) return { tracks: [], files: [], notes: [] }
  const notes: string[] = []
  const { states } = containerFacts(spec.container)
  const fits = subtitles.flatMap((track, position) => {
    const name = `Subtitles ${position + 1} (${track.language === null ? 'no language stated' : describeLanguage(track.language)}, ${describeCodec(track.codec)})`
    const stays = (why: string) => {
      notes.push(`${name} stay out: ${why}.`)
      return []
    }
    const language = languageOf(track.language)
    if (rule.languages && language !== null && !rule.languages.some(tag => languageOf(tag) === language))
      return stays(`${spec.name} keeps ${rule.languages.map(describeLanguage).join(', ')}`)
    if (rule.commentary === 'left out' && track.roles?.includes('commentary'))
      return stays(`${spec.name} leaves commentary out`)
    if (courses?.some(course => course.shifts.length > 0))
      return stays('the times of this file jump, and theirs cannot be brought in line with its picture')
    const kind = subtitleKind(track.codec)
    if (kind === null) return stays('Hematine does not carry this kind over')
    const held = rule.files === 'all' ? undefined : heldAs(track.codec, kind, spec)
    const to = held ?? (rule.files ? asFile(track.codec, kind, rule) : undefined)
    if (to === undefined)
      return stays(`${containerFacts(spec.container).name} holds no ${kind === 'text' ? 'text' : 'pictures of text'}`)
    if (kind === 'pictures' && timeline && timeline.speed !== 1)
      return stays('how long each is shown is written in its pictures, and the speed of this result is another')
    return [{ track, position, language, to, isFile: held === undefined }]
  })
  const order = ({ language }: { language: string | null }) => {
    const index = rule.languages?.findIndex(tag => languageOf(tag) === language) ?? 0
    return index < 0 ? rule.languages!.length : index
  }
  const sorted = fits.sort((a, b) => order(a) - order(b) || a.position - b.position)
  const inside = sorted.filter(entry => !entry.isFile)
  const shown =
    rule.shown === 'first'
      ? inside[0]
      : rule.shown === 'forced'
        ? inside.find(({ track }) => track.roles?.includes('forced'))
        : undefined
  const planned = ({ track, position, to }: (typeof sorted)[number], roles: TrackRole[]): PlannedSubtitles => ({
    position,
    from: track.codec,
    to,
    language: track.language,
    title: track.title ?? null,
    roles,
  })
  return {
    tracks: inside.map(entry => {
      const roles = (entry.track.roles ?? []).filter(role => role !== 'default' && states.includes(role))
      return planned(entry, entry === shown ? ['default', ...roles] : roles)
    }),
    files: named(
      sorted
        .filter(entry => entry.isFile)
        .map(entry =>
          planned(
            entry,
            (entry.track.roles ?? []).filter(role => role !== 'default'),
          ),
        ),
    ),
    notes,
  }
}

/** What a track is in a container, which holds it as it is, or as another kind of text; undefined where neither. */
function heldAs(codec: string, kind: SubtitleKind, { container }: DeliverySpec): string | undefined {
  const { subtitles: holds } = containerFacts(container)
  if (holds.includes(codec)) return codec
  return kind === 'text' ? holds.find(key => subtitleKind(key) === 'text') : undefined
}

const asFile = (codec: string, kind: SubtitleKind, { text }: SpecSubtitles): string =>
  kind === 'text' ? (text ?? 'subrip') : codec

const endingsOf: Record<string, readonly [string, ...string[]]> = {
  subrip: ['srt'],
  webvtt: ['vtt'],
  hdmv_pgs_subtitle: ['sup'],
  dvd_subtitle: ['idx', 'sub'],
}

/** Names files by language and what they are for; those that would have one name are counted. */
function named(tracks: readonly PlannedSubtitles[]): PlannedSubtitleFile[] {
  const taken = new Map<string, number>()
  return tracks.map(track => {
    const endings = endingsOf[track.to]!
    const language = languageOf(track.language)
    const added = [...(language === null ? [] : [language]), ...track.roles!.map(role => role.replaceAll(' ', '-'))]
      .map(part => `.${part}`)
      .join('')
    const name = `${added}.${endings[0]}`
    const count = (taken.get(name) ?? 0) + 1
    taken.set(name, count)
    return { ...track, added: count === 1 ? added : `${added}.${count}`, endings }
  })
}
