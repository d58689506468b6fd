import type { DeliverySpec, Moment } from '@hematine/core'

/** Name of a trial's encoded moment in its directory. Called otherwise than what lies beside it: a still may be a JPEG, as looks are. */
export const momentFile = (index: number, spec: Pick<DeliverySpec, 'container'>) => `result-${index}.${spec.container}`
/** Name of the first picture of a trial's moment in its directory. */
export const lookFile = (index: number) => `moment-${index}.jpg`
/** Name of the pictures of a trial's moment in its directory. */
export const sheetFile = (index: number) => `moment-${index}.sheet`
/** Name of the sound of a trial's moment in its directory. */
export const soundFile = (index: number) => `moment-${index}.wav`
type Range = Pick<Moment, 'from' | 'to'>
const ofSource = (sourceId: number, { from, to }: Range) => `source-${sourceId}-${from.toFixed(3)}-${to.toFixed(3)}`
/** Name of the sound of a source's moment, beside the trials' directories. @param track stream that is heard */
export const sourceSoundFile = (sourceId: number, moment: Range, track: number) =>
  `${ofSource(sourceId, moment)}-${track}.wav`
/** Name of the pictures of a source's moment, beside the trials' directories. @param track stream whose sound is drawn, where there is no picture to be shown; null for the picture */
export const sourceSheetFile = (sourceId: number, moment: Range, track: number | null) =>
  `${ofSource(sourceId, moment)}${track === null ? '' : `-${track}`}.sheet`
