import { browserType } from '@hematine/core'
import { Problem, readSource, sourceVolumeOf } from '@hematine/database'
import { resolveInside } from '@hematine/media/volumes/volume-files'
import { handle } from '../../../utils/handle'
import { sendFile } from '../../../utils/send-file'

export default handle('sourceOriginal', async ({ application, parameters, event }) => {
  const source = await readSource(application.em(), parameters.id)
  const type = source?.kind === 'file' && source.facts ? browserType(source.facts) : null
  if (!source || type === null)
    throw new Problem(404, 'not-playable', 'No browser plays this source as it is. Ask for a proxy.')
  return sendFile(event, await resolveInside(sourceVolumeOf(source).path, source.relativePath), {
    'content-type': type.split(';')[0]!,
  })
})
