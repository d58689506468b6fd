import { keepPoster, keepPosterFailure, readSource } from '@hematine/database'
import { inputOf } from '../inputs.ts'
import type { Kind } from './kind.ts'

/** Making the small picture that stands for a source. */
export const poster: Kind<'poster'> = {
  name: 'poster',
  lanes: 2,
  processor: 'beside',
  usesReader: true,
  atOnce: 6,
  // Of a hundred files one sees first what they all are, then their pictures.
  after: ['facts'],
  async run({ sourceId }, hands) {
    const source = await readSource(hands.em, sourceId)
    if (!source?.facts?.video || source.state !== 'ready' || hands.isStopping) return
    const { revision, facts } = source
    const outcome = await hands.inReader(async () => ({
      kind: 'poster',
      input: await inputOf(hands.em, source),
      facts,
    }))
    if (outcome.say === 'poster')
      await hands.persist(() => keepPoster(hands.em, sourceId, Buffer.from(outcome.poster), revision))
    else if (outcome.say === 'failed')
      await hands.persist(() =>
        keepPosterFailure(hands.em, sourceId, `No picture of it can be shown: ${outcome.reason}`, revision),
      )
  },
}
