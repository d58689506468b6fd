import { filesBesideOf, nameBeside, outputKind } from '@hematine/core'
import { deliveryVolumeOf, Problem, readJobWithFiles } from '@hematine/database'
import { resolveInside } from '@hematine/media/volumes/volume-files'
import { handle } from '../../../utils/handle'
import { mediaTypes, besideTypes } from '../../../utils/media-types'
import { sendFile } from '../../../utils/send-file'

export default handle('jobOutput', async ({ application, parameters, query, event }) => {
  const job = await readJobWithFiles(application.em(), parameters.id)
  if (job.state !== 'done' || !job.outputPath) throw new Problem(409, 'not-done', 'The job has no finished file yet.')
  const volume = deliveryVolumeOf(job)
  const send = async (name: string, type: string) =>
    sendFile(event, await resolveInside(volume.path, name), {
      'content-type': type,
      'content-disposition': `attachment; filename*=UTF-8''${encodeURIComponent(name)}`,
    })
  if (query.beside !== undefined) {
    const file = job.check && filesBesideOf(job.check.measurement).find(({ added }) => added === query.beside)
    if (!file) throw new Problem(404, 'no-file', `No file "${query.beside}" lies beside ${job.outputPath}.`)
    const ending = file.added.split('.').at(-1)!
    return send(nameBeside(job.outputPath, job.spec, file.added), besideTypes[ending] ?? 'application/octet-stream')
  }
  if (outputKind(job.spec) === 'image sequence')
    throw new Problem(
      409,
      'is-folder',
      `The result is a folder of pictures: ${job.outputPath} in ${volume.name}. Take it from there.`,
    )
  return send(job.outputPath, mediaTypes[job.spec.container])
})
