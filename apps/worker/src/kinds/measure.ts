import { beginMeasuring, keepMeasuringFailure, keepMeasuringPart, keepSourceMeasurement } from '@hematine/database'
import { inputOf } from '../inputs.ts'
import type { Kind } from './kind.ts'

/** Measuring what is wrong with a source. */
export const measure: Kind<'measure'> = {
  name: 'measure',
  lanes: 1,
  // A long film takes long: a sample that waited for that would keep all jobs waiting.
  processor: null,
  usesReader: true,
  // What a source is comes before what is wrong with it.
  after: ['facts', 'poster'],
  async run({ sourceId, depth, through = false }, hands) {
    const source = hands.isStopping ? null : await beginMeasuring(hands.em, sourceId)
    if (!source) return
    const outcome = await hands.inReader(
      async () => ({ kind: 'measure', input: await inputOf(hands.em, source), facts: source.facts!, depth, through }),
      part => keepMeasuringPart(hands.em, source, part),
      'measurements',
    )
    if (outcome.say === 'measured') {
      const strip = outcome.strip.map(({ seconds, picture }) => ({ seconds, picture: Buffer.from(picture) }))
      await hands.persist(() => keepSourceMeasurement(hands.em, source, outcome.measurement, outcome.facts, strip))
    } else if (outcome.say === 'failed') {
      await hands.persist(() => keepMeasuringFailure(hands.em, source, outcome.reason))
    } else if (outcome.say === 'stopped' && !hands.isStopping && (await keepMeasuringPart(hands.em, source, 0))) {
      // Nobody ended it: it must not stand there as being measured for good.
      throw new Error('a measurement was stopped that is still wanted')
    }
  },
}
