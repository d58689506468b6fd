import { removeFromInventory } from '@hematine/database'
import { handle } from '../../utils/handle'

export default handle('removeFromInventory', ({ application, body }) => removeFromInventory(application.em(), body.ids))
