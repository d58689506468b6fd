import { orderJobs } from '@hematine/database'
import { handle } from '../utils/handle'

const notes = {
  'due times': 'by due times',
  'as supposed': 'as it was supposed for all orders',
  'put back': 'back to where it was before',
} as const

export default handle('orderJobs', async ({ application, body }) => {
  const moved = await orderJobs(application.em(), body.ids, notes[body.because])
  application.agendas.forgetOutlooks()
  return { moved }
})
