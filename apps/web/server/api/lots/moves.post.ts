import { moveToLot } from '@hematine/database'
import { handle } from '../../utils/handle'

export default handle('moveToLot', async ({ application, body }) => ({
  lotId: await moveToLot(application.em(), body.sourceIds, body.lotId),
}))
