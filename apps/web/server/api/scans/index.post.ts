import { beginScan, readSourceVolume } from '@hematine/database'
import { resolveInside } from '@hematine/media/volumes/volume-files'
import { handle } from '../../utils/handle'
import { usualRate } from '../../utils/arrivals'

export default handle('beginScan', async ({ application, body }) => {
  await resolveInside((await readSourceVolume(application.em(), body.volumeId)).path, body.path)
  return beginScan(application.em(), application.queue, { ...body, frameRate: body.frameRate ?? usualRate })
})
