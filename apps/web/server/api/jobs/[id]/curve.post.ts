import { askForCurve } from '@hematine/database'
import { handle } from '../../../utils/handle'

export default handle('measureCurve', ({ application, parameters, query }) =>
  askForCurve(application.em(), application.queue, parameters.id, query),
)
