import { chaptersWithin, plannedChapters } from '../chapters.ts'
import { describeCodec } from '../codec-names.ts'
import type { SourceFacts } from '../facts.ts'
import { describeBytes } from '../format.ts'
import { describeLanguage, languageOf } from '../languages.ts'
import type { DeliverySpec } from '../spec/schema.ts'
import { plannedSubtitles } from '../subtitles/index.ts'
import { plannedCover, plannedTags, sameTag } from '../tags.ts'
import type { Treatment } from '../treatment/index.ts'
import type { AddLine } from './lines.ts'
import type { CheckMeasurement, SubtitleMeasurement } from './records.ts'

/** Lines on what a result says of itself, where its source says what the spec keeps. */
export function judgeTags(
  add: AddLine,
  measured: CheckMeasurement,
  spec: DeliverySpec,
  facts: SourceFacts,
  name: string | null,
): void {
  const planned = Object.entries(plannedTags(facts, spec, name))
  if (planned.length > 0 && measured.tags) {
    const lost = planned.filter(([key, value]) => !sameTag(key, value, measured.tags![key]))
    add(
      'tags',
      planned.map(([key]) => key).join(', '),
      lost.length === 0 ? 'as planned' : `${lost.map(([key]) => key).join(', ')} missing or other`,
      lost.length === 0,
      'The result does not say of itself what the source says. Make it again.',
    )
  }
  const cover = plannedCover(facts, spec)
  const words = (found: typeof measured.cover) =>
    found ? `${describeCodec(found.codec)} ${found.width}x${found.height}, ${describeBytes(found.bytes)}` : 'none'
  if (cover && measured.cover !== undefined)
    add(
      'cover',
      words(cover),
      words(measured.cover),
      words(measured.cover) === words(cover),
      'The cover is another than that of the source. Make it again.',
    )
}

/** A text may begin so far from where it should, in seconds: tracks count in milliseconds, and two at one moment are set one apart. */
const textTolerance = 0.05

const words = (language: string | null) => (language === null ? 'no language stated' : describeLanguage(language))
const roles = (list: readonly string[] | undefined) => (list?.length ? ` (${[...list].sort().join(', ')})` : '')

function judgeCount(add: AddLine, name: string, wanted: number, found: number): void {
  if (wanted > 0 || found > 0)
    add(name, `${wanted}`, `${found}`, found === wanted, 'A subtitle track was lost or added. Make it again.')
}

/** Lines on what subtitles say, and when. */
function judgeSaid(add: AddLine, name: string, result: SubtitleMeasurement): void {
  add(
    `${name} kept`,
    `${result.sourceCount}`,
    result.different > 0 ? `${result.count}, ${result.different} of them others` : `${result.count}`,
    result.count === result.sourceCount && result.different === 0,
    'Subtitles were lost, added or changed between the source and the result.',
  )
  if (result.count > 0)
    add(
      `${name} in step`,
      `within ${textTolerance} s`,
      `${result.furthest.toFixed(3)} s at most`,
      result.furthest <= textTolerance,
      'A subtitle is shown at another time than in the source.',
    )
}

/** Lines on subtitles and chapters, where the spec or the result has any. */
export function judgeTextTracks(
  add: AddLine,
  measured: CheckMeasurement,
  spec: DeliverySpec,
  treatment: Treatment,
  facts: SourceFacts,
): void {
  const { tracks, files } = plannedSubtitles(facts, spec, treatment.timeline)
  judgeCount(add, 'subtitle tracks', tracks.length, (measured.subtitles ?? []).length)
  tracks.forEach((track, index) => {
    const result = measured.subtitles?.[index]
    if (!result) return
    const name = tracks.length > 1 ? `subtitles ${index + 1}` : 'subtitles'
    add(
      name,
      `${describeCodec(track.to)}, ${words(track.language)}${roles(track.roles)}`,
      `${describeCodec(result.codec)}, ${words(result.language)}${roles(result.roles)}`,
      result.codec === track.to &&
        languageOf(result.language) === languageOf(track.language) &&
        roles(result.roles) === roles(track.roles),
      'The subtitle track is another than the spec asks for.',
    )
    judgeSaid(add, name, result)
  })
  judgeCount(add, 'subtitle files', files.length, (measured.subtitleFiles ?? []).length)
  files.forEach((file, index) => {
    const result = measured.subtitleFiles?.[index]
    if (!result) return
    const name = files.length > 1 ? `subtitle file ${index + 1}` : 'subtitle file'
    // A track that says nothing in what is kept of its source leaves no file.
    if (result.sourceCount > 0) {
      const wanted = `${describeCodec(file.to)}, ${file.endings.map(ending => `${file.added}.${ending}`).join(' and ')}`
      const found =
        result.files.length === 0
          ? 'none'
          : `${describeCodec(result.codec)}, ${result.files.map(({ added }) => added).join(' and ')}`
      add(name, wanted, found, wanted === found, 'A file of subtitles is missing, or is another. Make it again.')
    }
    judgeSaid(add, name, result)
  })
  const seconds = measured.video === null ? (measured.audio[0]?.durationSeconds ?? 0) : measured.video.durationSeconds
  const planned = chaptersWithin(plannedChapters(facts, spec, treatment.timeline), seconds)
  const chapters = measured.chapters ?? []
  if (planned.length === 0 && chapters.length === 0) return
  const differs = planned.filter(
    (chapter, index) =>
      Math.abs((chapters[index]?.from ?? Number.POSITIVE_INFINITY) - chapter.from) > textTolerance ||
      (chapter.title !== null && chapters[index]?.title !== chapter.title),
  )
  add(
    'chapters',
    `${planned.length}`,
    differs.length > 0 ? `${chapters.length}, ${differs.length} of them elsewhere` : `${chapters.length}`,
    chapters.length === planned.length && differs.length === 0,
    'The chapters are not those of the source. Make it again.',
  )
}
