import { readLotCurve } from '@hematine/database'
import { handle } from '../../../utils/handle'
import { lotDrafts } from '../../../utils/lot-drafts'

export default handle('readLotCurve', async ({ application, parameters: { id } }) =>
  readLotCurve(application.em(), id, await lotDrafts(application, id)),
)
