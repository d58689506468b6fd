import { describeCodec } from '../codec-names.ts'
import { containerFacts } from '../spec/container.ts'
import type { DeliverySpec } from '../spec/schema.ts'
import type { SourceFacts, SubtitleFacts } from '../facts.ts'
import { describeLanguage, languageOf } from '../languages.ts'
import type { Timeline } from '../treatment/timeline.ts'
import { subtitleKind } from './codecs.ts'

/** A subtitle track as a result is to have it. */
export interface PlannedSubtitles extends Pick<SubtitleFacts, 'language' | 'title' | 'roles'> {
  /** Its place among the source's subtitle tracks, from 0. */
  position: number
  /** Codec in the source and in the result. */
  from: string
  to: string
}

/**
 * Which subtitle tracks of a source a result has, as what, in which order, and what is shown by itself.
 * @returns the tracks, and a sentence on each that stays out although the spec keeps subtitles
 */
export function plannedSubtitles(
  { subtitles, courses }: Pick<SourceFacts, 'subtitles' | 'courses'>,
  spec: DeliverySpec,
  timeline: Timeline | undefined,
): { tracks: PlannedSubtitles[]; notes: string[] } {
  const rule = spec.video === null ? undefined : spec.subtitles
  if (!rule || subtitles.length === 0) return { tracks: [], notes: [] }
  const notes: string[] = []
  const { subtitles: holds, states } = containerFacts(spec.container)
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
    const to = holds.includes(track.codec)
      ? track.codec
      : kind === 'text'
        ? holds.find(codec => subtitleKind(codec) === 'text')
        : undefined
    if (to === undefined)
      return stays(`${containerFacts(spec.container).name} holds no ${kind === 'text' ? 'text' : 'pictures of text'}`)
    if (kind === 'pictures' && timeline && timeline.speed !== 1)
      return stays('how long each is shown is written in its pictures, and the speed of this result is another')
    return [{ track, position, language, to }]
  })
  const order = ({ language }: { language: string | null }) => {
    const index = rule.languages?.findIndex(tag => languageOf(tag) === language) ?? 0
    return index < 0 ? rule.languages!.length : index
  }
  const sorted = fits.sort((a, b) => order(a) - order(b) || a.position - b.position)
  const shown =
    rule.shown === 'first'
      ? sorted[0]
      : rule.shown === 'forced'
        ? sorted.find(({ track }) => track.roles?.includes('forced'))
        : undefined
  return {
    tracks: sorted.map(entry => {
      const { track, position, to } = entry
      const roles = (track.roles ?? []).filter(role => role !== 'default' && states.includes(role))
      return {
        position,
        from: track.codec,
        to,
        language: track.language,
        title: track.title ?? null,
        roles: entry === shown ? ['default', ...roles] : roles,
      }
    }),
    notes,
  }
}
