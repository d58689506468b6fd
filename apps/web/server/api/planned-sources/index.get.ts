import { listInventory } from '@hematine/database'
import { handle } from '../../utils/handle'

export default handle('listInventory', ({ application, query }) => listInventory(application.em(), query.orderId))
