import { askForLotCurves } from '@hematine/database'
import { handle } from '../../../utils/handle'

export default handle('measureLotCurves', ({ application, parameters }) =>
  askForLotCurves(application.em(), application.queue, parameters.id),
)
