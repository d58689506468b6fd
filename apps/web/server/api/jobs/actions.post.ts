import { actOnJobs } from '@hematine/database'
import { handle } from '../../utils/handle'

export default handle('actOnJobs', async ({ application, body }) => {
  const outcomes = await actOnJobs(application.em(), body.ids, body.action)
  const refused = outcomes.flatMap(({ id, reason }) => (reason === null ? [] : [{ id, reason }]))
  return { done: outcomes.length - refused.length, refused }
})
