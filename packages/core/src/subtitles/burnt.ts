import type { SourceFacts } from '../facts.ts'
import { describeLanguage, languageOf } from '../languages.ts'
import type { StepOf } from '../treatment/step.ts'
import type { BurntSubtitles } from '../treatment/treatment.ts'
import { subtitleKind } from './codecs.ts'

/**
 * Which subtitle track a step burns into the picture of a source.
 * @returns the track, or a sentence on why there is none: a lot's sources need not all have one
 */
export function chooseBurnt(
  { subtitles, courses }: Pick<SourceFacts, 'subtitles' | 'courses'>,
  { language, which }: StepOf<'burn-subtitles'>,
): BurntSubtitles | { none: string } {
  const wanted = languageOf(language)
  const inLanguage = wanted === null ? '' : ` in ${describeLanguage(wanted)}`
  const none = (why: string) => ({ none: `No subtitles are burnt in: ${why}.` })
  if (courses?.some(course => course.shifts.length > 0))
    return none('the times of this file jump, and theirs cannot be brought in line with its picture')
  const fits = subtitles
    .map((track, position) => ({ track, position }))
    .filter(
      ({ track }) =>
        subtitleKind(track.codec) !== null &&
        !track.roles?.includes('commentary') &&
        (wanted === null || languageOf(track.language) === wanted),
    )
  const forced = fits.find(({ track }) => track.roles?.includes('forced'))
  // Pictures of text say one by one whether they must be shown; of text the whole track does.
  const chosen =
    which === 'forced'
      ? (forced ?? fits.find(({ track }) => subtitleKind(track.codec) === 'pictures'))
      : (fits.find(entry => entry !== forced) ?? forced)
  if (!chosen)
    return none(
      subtitles.length === 0
        ? 'this source has none'
        : `this source has none${inLanguage} that ${which === 'forced' ? 'must be shown' : 'can be'}`,
    )
  const { track, position } = chosen
  return {
    position,
    streamIndex: track.streamIndex,
    codec: track.codec,
    onlyForced: which === 'forced' && chosen !== forced,
  }
}
