import { noteMarked, Problem, registerVolume } from '@hematine/database'
import { markVolume, spaceOf } from '@hematine/media/volumes/volume-files'
import { handle } from '../../utils/handle'
import { keepApart, resolveUnderRoots } from '../../utils/volume-roots'
import { viewVolume } from '../../utils/volume-view'

export default handle('registerVolume', async ({ application, body }) => {
  const path = await resolveUnderRoots(application.volumeRoots, body.path)
  await keepApart(application.settings.HEMATINE_DATA_DIR, path)
  const { problem } = await spaceOf(path, body.role !== 'source')
  if (problem) throw new Problem(409, 'volume-unusable', problem)
  const volume = await registerVolume(application.em(), { ...body, path })
  // Nothing is put into a source volume before somebody uploads into it.
  if (volume.role !== 'source') {
    await markVolume(volume)
    await noteMarked(application.em(), volume.id)
  }
  return viewVolume(volume)
})
