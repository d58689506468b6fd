import { handle } from '../utils/handle'
import { inTurns } from '../utils/in-turns'
import { choiceOf } from '../utils/job-lists'

export default handle('listJobSpecs', async ({ application, query }) => {
  const { made, jobs } = await application.agendas.list(query.orderId, choiceOf(query), query.sort)
  return { at: made.at.toISOString(), specs: await inTurns(made.agenda.specs(jobs)) }
})
