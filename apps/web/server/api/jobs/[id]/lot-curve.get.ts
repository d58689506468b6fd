import { readLotCurve } from '@hematine/database'
import { handle } from '../../../utils/handle'

export default handle('readLotCurve', ({ application, parameters }) => readLotCurve(application.em(), parameters.id))
