import { Problem, sourceOf, sourceVolumeOf } from '@hematine/database'
import { sourceInput } from '@hematine/media/volumes/source-input'
import { setResponseHeaders } from 'h3'
import { handle } from '../../../../../utils/handle'
import { momentFile, trialFile } from '../../../../../utils/trial-files'

export default handle(
  'trialFrame',
  async ({ application, parameters: { id, index }, query: { side, seconds }, event }) => {
    const { file, trial } = await trialFile(application, id, index, entry => momentFile(index, entry.spec))
    if (trial.treatment.result === null)
      throw new Problem(
        404,
        'no-picture',
        'The trial is of sound alone and has no frames. Its sheet holds a drawing of the sound.',
      )
    const source = sourceOf(trial)
    const speed = trial.treatment.timeline?.speed ?? 1
    const png =
      side === 'source'
        ? await application.stills.make({
            kind: 'plain',
            input: await sourceInput(source, sourceVolumeOf(source).path),
            video: source.facts!.video!,
            seconds: trial.moments[index]!.from + seconds,
          })
        : await application.stills.make({
            kind: 'result',
            path: file,
            rate: trial.treatment.result.rate,
            seconds: seconds / speed,
          })
    setResponseHeaders(event, { 'content-type': 'image/png', 'cache-control': 'private, max-age=3600' })
    return png
  },
)
