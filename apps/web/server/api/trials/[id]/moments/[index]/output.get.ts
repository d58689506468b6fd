import { handle } from '../../../../../utils/handle'
import { sendFile } from '../../../../../utils/send-file'
import { momentFile, trialFile } from '../../../../../utils/trial-files'

const types = { mp4: 'video/mp4', mov: 'video/quicktime', mkv: 'video/matroska', webm: 'video/webm' }

export default handle('trialOutput', async ({ application, parameters: { id, index }, event }) => {
  const { file, trial } = await trialFile(application, id, index, entry => momentFile(index, entry.spec))
  return sendFile(event, file, { 'content-type': types[trial.spec.container], 'cache-control': 'private, max-age=3600' })
})
