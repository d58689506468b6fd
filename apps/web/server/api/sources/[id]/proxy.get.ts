import { Problem, readSource, sourceVolumeOf } from '@hematine/database'
import { sourceInput } from '@hematine/media/volumes/source-input'
import { handle } from '../../../utils/handle'
import { beginRanged } from '../../../utils/send-file'

export default handle('sourceProxy', async ({ application, parameters, query, event }) => {
  const source = await readSource(application.em(), parameters.id)
  if (!source?.facts) throw new Problem(404, 'not-read', 'This source was not read yet, or cannot be used.')
  const piece = await application.proxies.make({
    kind: 'proxy',
    input: await sourceInput(source, sourceVolumeOf(source).path),
    facts: source.facts,
    seconds: query.seconds,
    sound: query.sound,
  })
  const range = beginRanged(event, piece.length, {
    'content-type': 'video/mp4',
    'cache-control': 'private, max-age=600',
  })
  return range ? piece.subarray(range.start, range.end + 1) : piece
})
