import { outputKind } from '@hematine/core'
import { deliveryVolumeOf, Problem, readJobWithFiles } from '@hematine/database'
import { resolveInside } from '@hematine/media/volumes/volume-files'
import { handle } from '../../../utils/handle'
import { mediaTypes } from '../../../utils/media-types'
import { sendFile } from '../../../utils/send-file'

export default handle('jobOutput', async ({ application, parameters, event }) => {
  const job = await readJobWithFiles(application.em(), parameters.id)
  if (job.state !== 'done' || !job.outputPath) throw new Problem(409, 'not-done', 'The job has no finished file yet.')
  if (outputKind(job.spec) === 'image sequence')
    throw new Problem(
      409,
      'is-folder',
      `The result is a folder of pictures: ${job.outputPath} in ${deliveryVolumeOf(job).name}. Take it from there.`,
    )
  const file = await resolveInside(deliveryVolumeOf(job).path, job.outputPath)
  return sendFile(event, file, {
    'content-type': mediaTypes[job.spec.container],
    'content-disposition': `attachment; filename*=UTF-8''${encodeURIComponent(job.outputPath)}`,
  })
})
