import { lotNamesOf } from '@hematine/database'
import { handle } from '../utils/handle'
import { inTurns } from '../utils/in-turns'
import { choiceOf } from '../utils/job-lists'

export default handle('listJobLots', async ({ application, query }) => {
  const { made, jobs } = await application.agendas.list(query.orderId, choiceOf(query), query.sort)
  const names = await lotNamesOf(application.em(), query.orderId)
  return { at: made.at.toISOString(), lots: await inTurns(made.agenda.lots(jobs, names)) }
})
