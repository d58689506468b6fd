import { deliveredFacts } from '@hematine/core'
import {
  beginTrial,
  keepTrialFailure,
  keepTrialLooks,
  keepTrialMoment,
  sourceOf,
  type VolumeRow,
} from '@hematine/database'
import { trialDirectory } from '@hematine/media/volumes/volume-files'
import { inputOf, withAssets } from '../inputs.ts'
import type { Kind } from './kind.ts'

/** Trying a treatment on some moments: each is kept as soon as it is done, and a trial that was removed meanwhile is ended. */
export const trial: Kind<'trial'> = {
  name: 'trial',
  lanes: 1,
  processor: 'alone',
  async run({ trialId }, hands) {
    const row = hands.isStopping ? null : await beginTrial(hands.em, trialId)
    if (!row) return
    const source = sourceOf(row)
    let keeping: Promise<unknown> = Promise.resolve()
    const outcome = await hands.inChild(
      async () => ({
        kind: 'trial',
        input: await inputOf(hands.em, source),
        facts: deliveredFacts(source.facts!, row.treatment),
        ...(await withAssets(hands.em, row)),
        moments: row.moments,
        skip: row.results.flatMap((result, index) => (result ? [index] : [])),
        directory: await trialDirectory(row.volume.getEntity() as VolumeRow, trialId),
        sourceId: source.id,
      }),
      (report, task) => {
        keeping = keeping
          .then(async () => {
            const isThere = await hands.persist(async () =>
              report.say === 'look'
                ? keepTrialLooks(hands.em, trialId, report.looks)
                : report.say === 'moment'
                  ? keepTrialMoment(hands.em, trialId, report.index, report.result)
                  : true,
            )
            if (!isThere) task.stop()
          })
          .catch((error: Error) =>
            hands.log.error({ trial: trialId, error: error.message }, 'a moment of a trial could not be kept'),
          )
      },
    )
    await keeping
    if (outcome.say === 'failed') await hands.persist(() => keepTrialFailure(hands.em, trialId, outcome.reason))
  },
}
