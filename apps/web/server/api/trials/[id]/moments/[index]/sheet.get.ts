import { handle } from '../../../../../utils/handle'
import { sendFile } from '../../../../../utils/send-file'
import { sheetFile, sourceSheetOf, trialFile } from '../../../../../utils/trial-files'

export default handle('trialSheet', async ({ application, parameters: { id, index }, query: { side }, event }) => {
  const { file } = await trialFile(application, id, index, trial =>
    side === 'result' ? sheetFile(index) : sourceSheetOf(trial, index),
  )
  return sendFile(event, file, { 'content-type': 'application/octet-stream', 'cache-control': 'private, max-age=3600' })
})
