import { Problem, registerVolume } from '@hematine/database'
import { spaceOf } from '@hematine/media/volume-files'
import { handle } from '../../utils/handle'
import { resolveUnderRoots } from '../../utils/volume-roots'
import { viewVolume } from '../../utils/volume-view'

export default handle('registerVolume', async ({ application, body }) => {
  const path = await resolveUnderRoots(application.volumeRoots, body.path)
  const { problem } = await spaceOf(path, body.role !== 'source')
  if (problem) throw new Problem(409, 'volume-unusable', problem)
  return viewVolume(await registerVolume(application.em(), { ...body, path }))
})
