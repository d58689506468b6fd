import { deliveredFacts, hasPicture } from '@hematine/core'
import {
  beginCurve,
  keepCurve,
  keepCurveFailure,
  keepCurvePart,
  sourceOf,
  type CurveRow,
  type SampleRow,
  type VolumeRow,
} from '@hematine/database'
import { curveDirectory, VolumeProblem } from '@hematine/media/volumes/volume-files'
import path from 'node:path'
import { inputOf, withAssets } from '../inputs.ts'
import { KeptParts } from './kept-parts.ts'
import { troubled } from './on-device.ts'
import type { Kind } from './kind.ts'

/** Measuring what a source and its treatment come to at several qualities of a codec. Nothing of it is timed, so jobs go on beside it. */
export const curve: Kind<'curve'> = {
  name: 'curve',
  lanes: 1,
  // It takes minutes: no measurement, for which jobs are paused, waits for its end. It is paused as they are.
  processor: null,
  // A forecast comes before what else it could be.
  after: ['sample'],
  async run({ curveId }, hands, onDevice) {
    const row = hands.isStopping ? null : await beginCurve(hands.em, curveId)
    if (!row) return
    const sample = row.sample.getEntity() as SampleRow
    const source = sourceOf(sample)
    const parts = new KeptParts(hands, `curve ${curveId}`, part => keepCurvePart(hands.em, row, part))
    const outcome = await hands.inChild(
      async () => {
        const planned = await withAssets(hands.em, sample)
        if (!hasPicture(planned)) throw new Error('A curve was asked for of sound alone.')
        return {
          kind: 'curve',
          input: await inputOf(hands.em, source),
          facts: deliveredFacts(source.facts!, sample.treatment),
          ...planned,
          sample: sample.measurement!,
          scratchDirectory: path.join(hands.scratchDirectory, `curve-${curveId}`),
          picturesDirectory: await picturesOf(row),
          onDevice,
        }
      },
      parts.onTheWay,
      'measurements',
    )
    await parts.done()
    if (outcome.say === 'curve') await hands.persist(() => keepCurve(hands.em, row, outcome.measurement))
    else if (outcome.say === 'failed' && outcome.device) throw troubled(hands, outcome.device, outcome.reason)
    else if (outcome.say === 'failed') await hands.persist(() => keepCurveFailure(hands.em, row, outcome.reason))
    else if (outcome.say === 'stopped' && !hands.isStopping && (await keepCurvePart(hands.em, row, 0)))
      // Nobody ended it: it must not stand there as being measured for good.
      throw new Error('a curve was stopped that is still wanted')
  },
}

/** Where a curve's pictures go; without its volume it is measured all the same. */
async function picturesOf({ id, run, volume }: CurveRow): Promise<string | null> {
  if (!volume) return null
  try {
    return await curveDirectory(volume.getEntity() as VolumeRow, { id, run })
  } catch (error) {
    if (error instanceof VolumeProblem) return null
    throw error
  }
}
