import { handle } from '../utils/handle'
import { choiceOf } from '../utils/job-lists'

export default handle('listJobIds', async ({ application, query }) => {
  const { jobs } = await application.agendas.list(query.orderId, choiceOf(query), query.sort)
  return jobs.map(job => job.id)
})
