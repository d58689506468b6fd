import { endWatch } from '@hematine/database'
import { handle } from '../../utils/handle'

export default handle('endWatch', ({ application, parameters }) => endWatch(application.em(), parameters.id))
