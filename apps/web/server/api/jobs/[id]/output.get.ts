import { createReadStream } from 'node:fs'
import { stat } from 'node:fs/promises'
import { deliveryVolumeOf, Problem, readJobWithFiles } from '@hematine/database'
import { resolveInside } from '@hematine/media/volume-files'
import { getRequestHeader, sendStream, setResponseHeaders, setResponseStatus } from 'h3'
import { handle } from '../../../utils/handle'
import { RequestProblem } from '../../../utils/problems'
import { parseRange } from '../../../utils/byte-range'

export default handle('jobOutput', async ({ application, parameters, event }) => {
  const job = await readJobWithFiles(application.em(), parameters.id)
  if (job.state !== 'done' || !job.outputPath) throw new Problem(409, 'not-done', 'The job has no finished file yet.')
  const file = await resolveInside(deliveryVolumeOf(job).path, job.outputPath)
  const { size } = await stat(file)
  const range = parseRange(getRequestHeader(event, 'range'), size)
  if (range === 'outside') throw new RequestProblem(416, 'bad-range', `The file has ${size} bytes.`)
  setResponseHeaders(event, {
    'content-type': 'application/octet-stream', 'accept-ranges': 'bytes',
    'content-disposition': `attachment; filename*=UTF-8''${encodeURIComponent(job.outputPath)}`,
    'content-length': range ? range.end - range.start + 1 : size,
  })
  if (range) {
    setResponseStatus(event, 206)
    setResponseHeaders(event, { 'content-range': `bytes ${range.start}-${range.end}/${size}` })
  }
  return sendStream(event, createReadStream(file, range ?? {}))
})
