import { actOnJobs } from '@hematine/database'
import { handle } from '../../utils/handle'

export default handle('actOnJobs', async ({ application, body }) => ({
  outcomes: await actOnJobs(application.em(), body.ids, body.action),
}))
