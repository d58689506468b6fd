import { plainTimeline, sourceTimeAt, toNumber } from '@hematine/core'
import { assetBytes, deliveryVolumeOf, Problem, readJobWithFiles, sourceOf, sourceVolumeOf } from '@hematine/database'
import { provideAssets } from '@hematine/media/treating/assets'
import { sourceInput } from '@hematine/media/volumes/source-input'
import { pictureOf } from '@hematine/media/volumes/result-files'
import { resolveInside } from '@hematine/media/volumes/volume-files'
import { setResponseHeaders } from 'h3'
import { handle } from '../../../../utils/handle'
import { resultVideo } from '../../../../utils/result-video'

function notThere(folder: string): never {
  throw new Problem(409, 'folder-changed', `${folder} does not hold the pictures any more that were put there.`)
}

export default handle('jobFrame', async ({ application, parameters: { id, index }, query: { side }, event }) => {
  const job = await readJobWithFiles(application.em(), id)
  if (job.state !== 'done' || !job.outputPath || !job.check)
    throw new Problem(409, 'not-done', 'The job has no finished file yet.')
  const {
    treatment,
    check: { measurement },
  } = job
  if (treatment.result === null || measurement.video === null)
    throw new Problem(404, 'no-picture', 'The result is sound alone and has no frames. Listen to its file.')
  const { frameCount, rate } = treatment.result
  if (index >= Math.max(frameCount, measurement.video.framesDecoded))
    throw new Problem(404, 'no-frame', `The result has ${measurement.video.framesDecoded} frames, numbered from 0.`)
  const source = sourceOf(job)
  const seconds = index / toNumber(rate)
  const video = (job.facts ?? source.facts!).video!
  if (side === 'treated') await provideAssets(treatment, assetBytes(application.em()))
  const png =
    side === 'result'
      ? await application.stills.make({
          kind: 'plain',
          input:
            (await pictureOf(await resolveInside(deliveryVolumeOf(job).path, job.outputPath), rate)) ??
            notThere(job.outputPath),
          video: resultVideo(measurement, treatment),
          seconds,
        })
      : side === 'treated'
        ? await application.stills.make({
            kind: 'treated',
            input: await sourceInput(source, sourceVolumeOf(source).path),
            video,
            treatment,
            index,
          })
        : await application.stills.make({
            kind: 'plain',
            input: await sourceInput(source, sourceVolumeOf(source).path),
            video,
            // What was trimmed off or runs at another speed is counted as the treatment counts it.
            seconds: sourceTimeAt(treatment.timeline ?? plainTimeline, seconds),
          })
  setResponseHeaders(event, { 'content-type': 'image/png', 'cache-control': 'private, max-age=600' })
  return png
})
