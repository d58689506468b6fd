import { listScans } from '@hematine/database'
import { handle } from '../../utils/handle'

export default handle('listScans', ({ application, query }) => listScans(application.em(), query))
