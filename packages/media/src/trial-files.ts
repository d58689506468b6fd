import type { DeliverySpec, Moment } from '@hematine/core'

/** Name of a trial's encoded moment in its directory. */
export const momentFile = (index: number, spec: Pick<DeliverySpec, 'container'>) => `moment-${index}.${spec.container}`
/** Name of the first picture of a trial's moment in its directory. */
export const lookFile = (index: number) => `moment-${index}.jpg`
/** Name of the pictures of a trial's moment in its directory. */
export const sheetFile = (index: number) => `moment-${index}.sheet`
/** Name of the sound of a trial's moment in its directory. */
export const soundFile = (index: number) => `moment-${index}.wav`
const ofSource = (sourceId: number, { from, to }: Pick<Moment, 'from' | 'to'>) => `source-${sourceId}-${from.toFixed(3)}-${to.toFixed(3)}`
/** Name of the sound of a source's moment, beside the trials' directories. */
export const sourceSoundFile = (sourceId: number, moment: Pick<Moment, 'from' | 'to'>) => `${ofSource(sourceId, moment)}.wav`
/** Name of the pictures of a source's moment, beside the trials' directories. */
export const sourceSheetFile = (sourceId: number, moment: Pick<Moment, 'from' | 'to'>) => `${ofSource(sourceId, moment)}.sheet`
