import { expectInventory } from '@hematine/database'
import { handle } from '../../utils/handle'

export default handle('expectInventory', ({ application, body }) =>
  expectInventory(application.em(), body.ids, body.expectedAt),
)
