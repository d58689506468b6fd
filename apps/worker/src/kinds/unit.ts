import { readdir, rm } from 'node:fs/promises'
import path from 'node:path'
import { deliveredFacts, hasPicture, type UnitKind } from '@hematine/core'
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
  type WorkUnitRow,
} from '@hematine/database'
import type { SegmentPlan } from '@hematine/media/joining/segment'
import { workDirectory } from '@hematine/media/volumes/volume-files'
import { inputOf, withAssets } from '../inputs.ts'
import type { Assignment } from '../messages.ts'
import { unitFile } from '../units.ts'
import { volumeProblem } from '../volume-problem.ts'
import type { Hands, Kind } from './kind.ts'

/** A worker that does not reach a volume leaves a unit to others for so long. */
const waitForOthersMilliseconds = 5000

/** What the process that makes a unit is told, by its kind. @param ground what every unit of its job works from */
const assignments: Record<UnitKind, (ground: Omit<SegmentPlan, 'segment'>, unit: WorkUnitRow) => Assignment> = {
  segment: (ground, { firstFrame, frames }) => ({
    kind: 'segment',
    ...ground,
    segment: { firstFrame, frames: frames ?? null },
  }),
  sound: ground => ({ kind: 'sound', ...ground }),
}

/** Making a part of a job, in a lane as jobs have; its job, in whichever worker, joins them. */
export const unit: Kind<'unit'> = {
  name: 'unit',
  lanes: 'of jobs',
  // It takes minutes: measurements pause it, as they pause jobs.
  processor: null,
  run: ({ unitId, run }, hands) => makeUnit(unitId, run, hands),
}

async function makeUnit(unitId: number, run: number, hands: Hands): Promise<void> {
  const workerId = hands.identity.id
  const begun = hands.isStopping ? null : await beginUnit(hands.em, unitId, run, workerId)
  if (!begun) return
  const { unit, job } = begun
  const source = sourceOf(job)
  let keeping: Promise<unknown> = Promise.resolve()
  let directory: string | null = null
  const outcome = await hands.inChild(
    async () => {
      const planned = await withAssets(hands.em, job)
      if (!hasPicture(planned)) throw new Error('A unit was asked for of sound alone.')
      directory = await workDirectory(deliveryVolumeOf(job))
      const ground = {
        input: await inputOf(hands.em, source),
        facts: deliveredFacts(job.facts ?? source.facts!, job.treatment),
        ...planned,
        path: path.join(directory, unitFile(job.id, unit)),
      }
      return assignments[unit.kind](ground, unit)
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
    'measurements and hours',
  )
  await keeping
  if (outcome.say === 'unit') {
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
  if (directory && !(await isOpen(hands.em, job.id))) await removeUnit(directory, unitFile(job.id, unit))
}

/** Removes the working files of a unit. */
async function removeUnit(directory: string, file: string): Promise<void> {
  for (const name of await readdir(directory))
    if (name.startsWith(file)) await rm(path.join(directory, name), { force: true })
}
