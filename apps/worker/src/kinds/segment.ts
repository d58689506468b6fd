import { rm } from 'node:fs/promises'
import path from 'node:path'
import { deliveredFacts, hasPicture } from '@hematine/core'
import {
  beginUnit,
  deliveryVolumeOf,
  failUnit,
  finishUnit,
  isOpen,
  keepUnitProgress,
  putDownUnit,
  sourceOf,
  sourceVolumeOf,
} from '@hematine/database'
import { workDirectory } from '@hematine/media/volumes/volume-files'
import { inputOf, withAssets } from '../inputs.ts'
import { segmentFile } from '../segments.ts'
import { volumeProblem } from '../volume-problem.ts'
import type { Kind } from './kind.ts'

/** A worker that does not reach a volume leaves a unit to others for so long. */
const waitForOthersMilliseconds = 5000

/** Making one part of a job's picture, in a lane as jobs have; its job, in whichever worker, joins them. */
export const segment: Kind<'segment'> = {
  name: 'segment',
  lanes: 'of jobs',
  // It takes minutes: measurements pause it, as they pause jobs.
  processor: null,
  async run({ unitId, run }, hands) {
    const workerId = hands.identity.id
    const begun = hands.isStopping ? null : await beginUnit(hands.em, unitId, run, workerId)
    if (!begun) return
    const { unit, job } = begun
    const source = sourceOf(job)
    let keeping: Promise<unknown> = Promise.resolve()
    let file: string | null = null
    const outcome = await hands.inChild(
      async () => {
        const planned = await withAssets(hands.em, job)
        if (!hasPicture(planned)) throw new Error('A segment was asked for of sound alone.')
        file = path.join(await workDirectory(deliveryVolumeOf(job)), segmentFile(job.id, unit))
        return {
          kind: 'segment',
          input: await inputOf(hands.em, source),
          facts: deliveredFacts(job.facts ?? source.facts!, job.treatment),
          ...planned,
          segment: { firstFrame: unit.firstFrame, frames: unit.frames ?? null },
          path: file,
        }
      },
      (report, task) => {
        if (report.say !== 'progress') return
        const soFar = { framesDone: report.done, seconds: report.stageSeconds }
        keeping = keeping
          .then(async () => {
            if (!(await keepUnitProgress(hands.em, unit, workerId, soFar))) task.stop()
          })
          // While the database is away the work goes on; what it makes is written down when it is back.
          .catch(() => undefined)
      },
      true,
    )
    await keeping
    if (outcome.say === 'segment') {
      const { frames, workSeconds: seconds } = outcome
      await hands.persist(() => finishUnit(hands.em, unit, workerId, { frames, seconds }))
    } else if (outcome.say === 'failed') {
      const gone = await volumeProblem(sourceVolumeOf(source), deliveryVolumeOf(job))
      // A volume that this worker does not reach may be there for the one that began the job: others are asked.
      if (gone !== null && job.workerId !== workerId) {
        await new Promise(resolve => setTimeout(resolve, waitForOthersMilliseconds))
        await hands.persist(() => putDownUnit(hands.em, unit, workerId))
      } else await hands.persist(() => failUnit(hands.em, unit, workerId, outcome.reason, outcome.isAway === true))
    } else if (!hands.isStopping) await hands.persist(() => putDownUnit(hands.em, unit, workerId))
    // Its job was cancelled meanwhile, or failed: nobody will join it.
    if (file && !(await isOpen(hands.em, job.id))) await rm(file, { force: true })
  },
}
