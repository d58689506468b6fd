import { Problem, readSource, sourceVolumeOf } from '@hematine/database'
import { sourceInput } from '@hematine/media/volumes/source-input'
import { setResponseHeaders } from 'h3'
import { handle } from '../../../utils/handle'

export default handle('sourceFrame', async ({ application, parameters, query, event }) => {
  const source = await readSource(application.em(), parameters.id)
  if (!source?.facts?.video) throw new Problem(404, 'no-picture', 'This source has no picture, or was not read yet.')
  const png = await application.stills.make({
    kind: 'plain',
    input: await sourceInput(source, sourceVolumeOf(source).path),
    video: source.facts.video,
    seconds: query.seconds,
  })
  setResponseHeaders(event, { 'content-type': 'image/png', 'cache-control': 'private, max-age=600' })
  return png
})
