import { orderJobs } from '@hematine/database'
import { handle } from '../utils/handle'

const notes = { 'due times': 'by due times', 'put back': 'back to where it was before' } as const

export default handle('orderJobs', async ({ application, body }) => {
  const moved = await orderJobs(application.em(), body.ids, notes[body.because])
  application.agendas.forgetSuggestion()
  return { moved }
})
