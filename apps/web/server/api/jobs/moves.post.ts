import { moveJobs } from '@hematine/database'
import { handle } from '../../utils/handle'

export default handle('moveJobs', async ({ application, body }) => {
  await moveJobs(application.em(), body.ids, body.beforeId)
})
