import { stopCopy } from '@hematine/database'
import { handle } from '../../../utils/handle'

export default handle('stopCopy', ({ application, parameters }) => stopCopy(application.em(), parameters.id))
