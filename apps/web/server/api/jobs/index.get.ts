import { handle } from '../../utils/handle'
import { choiceOf, plannedRecords } from '../../utils/job-lists'

export default handle('listJobs', async ({ application, query }) => {
  const { made, jobs } = await application.agendas.list(query.orderId, choiceOf(query), query.sort, query.descending)
  const ids = jobs.slice(query.offset, query.offset + query.limit).map(job => job.id)
  return { at: made.at.toISOString(), total: jobs.length, jobs: await plannedRecords(application, made, ids) }
})
