import { stopCurve } from '@hematine/database'
import { handle } from '../../../utils/handle'

export default handle('stopCurve', ({ application, parameters }) => stopCurve(application.em(), parameters.id))
