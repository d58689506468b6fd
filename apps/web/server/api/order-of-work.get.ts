import { listOrders } from '@hematine/database'
import { handle } from '../utils/handle'

export default handle('suggestOrder', async ({ application, query }) =>
  application.agendas.suggestion(query.orderId, await listOrders(application.em())),
)
