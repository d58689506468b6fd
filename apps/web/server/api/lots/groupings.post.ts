import { groupAgain } from '@hematine/database'
import { handle } from '../../utils/handle'

export default handle('groupAgain', ({ application, body }) => groupAgain(application.em(), body.sourceIds))
