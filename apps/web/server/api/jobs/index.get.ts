import { listJobs } from '@hematine/database'
import { handle } from '../../utils/handle'

export default handle('listJobs', ({ application, query }) =>
  application.lists.get(`jobs ${query.orderId}`, () => listJobs(application.em(), query)),
)
