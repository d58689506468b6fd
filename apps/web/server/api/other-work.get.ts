import { listOtherWork } from '@hematine/database'
import { handle } from '../utils/handle'

export default handle('listOtherWork', ({ application, query }) =>
  application.lists.get(`other work ${query.orderId}`, () => listOtherWork(application.em(), query.orderId)),
)
