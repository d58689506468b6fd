import { deliveredFacts, machineWith } from '@hematine/core'
import { beginSample, keepMeasurement, keepSampleFailure, sourceOf } from '@hematine/database'
import { inputOf, withAssets } from '../inputs.ts'
import { troubled } from './on-device.ts'
import type { Kind } from './kind.ts'

/** Measuring what a source, a treatment and a spec take, for forecasts. */
export const sample: Kind<'sample'> = {
  name: 'sample',
  lanes: 1,
  processor: 'alone',
  async run({ sampleId }, hands, onDevice) {
    const row = hands.isStopping ? null : await beginSample(hands.em, sampleId)
    if (!row) return
    const source = sourceOf(row)
    const outcome = await hands.inChild(async () => ({
      kind: 'sample',
      input: await inputOf(hands.em, source),
      facts: deliveredFacts(source.facts!, row.treatment),
      ...(await withAssets(hands.em, row)),
      scratchDirectory: hands.scratchDirectory,
      machine: machineWith(hands.identity.machine, onDevice?.device ?? null),
      onDevice,
    }))
    if (outcome.say === 'sample')
      await hands.persist(() => keepMeasurement(hands.em, sampleId, row.run, outcome.measurement))
    else if (outcome.say === 'failed' && outcome.device) throw troubled(hands, outcome.device, outcome.reason)
    else if (outcome.say === 'failed')
      await hands.persist(() => keepSampleFailure(hands.em, hands.queue, sampleId, row.run, outcome.reason))
  },
}
