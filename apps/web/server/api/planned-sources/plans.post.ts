import { planInventory } from '@hematine/database'
import { handle } from '../../utils/handle'

export default handle('planInventory', ({ application, body }) =>
  planInventory(application.em(), body.ids, body.specKey),
)
