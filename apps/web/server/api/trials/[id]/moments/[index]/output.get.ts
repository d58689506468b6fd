import { handle } from '../../../../../utils/handle'
import { mediaTypes } from '../../../../../utils/media-types'
import { sendFile } from '../../../../../utils/send-file'
import { momentFile, trialFile } from '../../../../../utils/trial-files'

export default handle('trialOutput', async ({ application, parameters: { id, index }, event }) => {
  const { file, trial } = await trialFile(application, id, index, entry => momentFile(index, entry.spec))
  return sendFile(event, file, {
    'content-type': mediaTypes[trial.spec.container],
    'cache-control': 'private, max-age=3600',
  })
})
