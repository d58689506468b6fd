import { addToInventory } from '@hematine/database'
import { handle } from '../../utils/handle'

export default handle('addToInventory', ({ application, body }) =>
  addToInventory(application.em(), body.orderId, body.sources),
)
