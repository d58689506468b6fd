import { deliveredFacts, hasPicture } from '@hematine/core'
import {
  beginComparison,
  keepComparison,
  keepComparisonFailure,
  keepComparisonPart,
  sourceOf,
  type SampleRow,
} from '@hematine/database'
import type { TreatedSource } from '@hematine/media/checking/compare-treated'
import { inputOf, withAssets } from '../inputs.ts'
import { KeptParts } from './kept-parts.ts'
import type { Hands, Kind } from './kind.ts'

/** Comparing the treated frames of two sources that show the same. Nothing of it is timed, so jobs go on beside it. */
export const compare: Kind<'compare'> = {
  name: 'compare',
  lanes: 1,
  // As with curves: no measurement waits for its end, and it is paused for them as jobs are.
  processor: null,
  after: ['sample'],
  async run({ comparisonId }, hands) {
    const row = hands.isStopping ? null : await beginComparison(hands.em, comparisonId)
    if (!row) return
    const parts = new KeptParts(hands, `comparison ${comparisonId}`, part => keepComparisonPart(hands.em, row, part))
    const outcome = await hands.inChild(
      async () => ({
        kind: 'compare',
        of: await treatedSource(hands, row.sample.getEntity() as SampleRow),
        reference: await treatedSource(hands, row.reference.getEntity() as SampleRow),
      }),
      parts.onTheWay,
      'measurements',
    )
    await parts.done()
    if (outcome.say === 'compared') await hands.persist(() => keepComparison(hands.em, row, outcome.measurement))
    else if (outcome.say === 'failed') await hands.persist(() => keepComparisonFailure(hands.em, row, outcome.reason))
    else if (outcome.say === 'stopped' && !hands.isStopping && (await keepComparisonPart(hands.em, row, 0)))
      // Nobody ended it: it must not stand there as being made for good.
      throw new Error('a comparison was stopped that is still wanted')
  },
}

async function treatedSource(hands: Hands, sample: SampleRow): Promise<TreatedSource> {
  const planned = await withAssets(hands.em, sample)
  if (!hasPicture(planned)) throw new Error('A comparison was asked for of sound alone.')
  const source = sourceOf(sample)
  return {
    input: await inputOf(hands.em, source),
    facts: deliveredFacts(source.facts!, planned.treatment),
    treatment: planned.treatment,
  }
}
