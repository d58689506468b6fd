import { listLots } from '@hematine/database'
import { handle } from '../../utils/handle'

export default handle('listLots', ({ application, query }) =>
  application.lists.get(`lots ${JSON.stringify(query)}`, () => listLots(application.em(), query.orderId, query.filter)),
)
