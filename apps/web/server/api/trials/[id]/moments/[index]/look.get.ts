import { handle } from '../../../../../utils/handle'
import { sendFile } from '../../../../../utils/send-file'
import { lookFile, trialFile } from '../../../../../utils/trial-files'

export default handle('trialLook', async ({ application, parameters: { id, index }, event }) =>
  sendFile(event, (await trialFile(application, id, index, () => lookFile(index))).file, {
    'content-type': 'image/jpeg',
    'cache-control': 'private, max-age=3600',
  }),
)
