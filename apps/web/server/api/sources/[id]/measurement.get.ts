import { measurementOf } from '@hematine/database'
import { handle } from '../../../utils/handle'

export default handle('readMeasurement', ({ application, parameters }) =>
  measurementOf(application.em(), parameters.id),
)
