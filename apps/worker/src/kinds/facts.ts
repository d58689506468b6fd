import { keepFacts, keepRefusal, readSource } from '@hematine/database'
import { inputOf } from '../inputs.ts'
import type { Kind } from './kind.ts'

/** Reading what a source is. */
export const facts: Kind<'facts'> = {
  name: 'facts',
  lanes: 3,
  processor: 'beside',
  usesReader: true,
  // Taking and ending tasks costs about as much as reading a small file.
  atOnce: 6,
  async run({ sourceId }, hands) {
    const source = await readSource(hands.em, sourceId)
    // One that was read already is not read again when its batch was given back.
    if (source?.state !== 'reading' || hands.isStopping) return
    const { revision } = source
    const outcome = await hands.inReader(async () => ({ kind: 'facts', input: await inputOf(hands.em, source) }))
    if (outcome.say === 'facts')
      await hands.persist(() => keepFacts(hands.em, hands.queue, sourceId, outcome.facts, outcome.identity, revision))
    else if (outcome.say === 'failed')
      await hands.persist(() => keepRefusal(hands.em, sourceId, outcome.reason, revision))
  },
}
