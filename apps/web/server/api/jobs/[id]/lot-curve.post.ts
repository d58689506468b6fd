import { askForLotCurves } from '@hematine/database'
import { handle } from '../../../utils/handle'
import { lotDrafts } from '../../../utils/lot-drafts'

export default handle('measureLotCurves', async ({ application, parameters: { id } }) =>
  askForLotCurves(application.em(), application.queue, id, await lotDrafts(application, id)),
)
