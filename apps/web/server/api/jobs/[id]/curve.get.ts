import { readCurve } from '@hematine/database'
import { handle } from '../../../utils/handle'

export default handle('readCurve', ({ application, parameters }) => readCurve(application.em(), parameters.id))
