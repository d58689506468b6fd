import { stopScan } from '@hematine/database'
import { handle } from '../../../utils/handle'

export default handle('stopScan', ({ application, parameters }) => stopScan(application.em(), parameters.id))
