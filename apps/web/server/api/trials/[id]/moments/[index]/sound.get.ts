import { handle } from '../../../../../utils/handle'
import { sendFile } from '../../../../../utils/send-file'
import { soundFile, sourceSoundOf, trialFile } from '../../../../../utils/trial-files'

export default handle('trialSound', async ({ application, parameters: { id, index }, query: { side }, event }) => {
  const { file } = await trialFile(application, id, index, trial =>
    side === 'result' ? soundFile(index) : sourceSoundOf(trial, index),
  )
  return sendFile(event, file, { 'content-type': 'audio/wav', 'cache-control': 'private, max-age=3600' })
})
