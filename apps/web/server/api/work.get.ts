import { byPlace, isInHand } from '@hematine/core'
import { handle } from '../utils/handle'
import { plannedRecords } from '../utils/job-lists'

export default handle('summariseWork', async ({ application, query }) => {
  const made = await application.agendas.of(query.orderId)
  const active = made.own.filter(job => isInHand(job.state))
  return {
    ...made.agenda.summary,
    active: await plannedRecords(
      application,
      made,
      active.sort(byPlace).map(job => job.id),
    ),
  }
})
