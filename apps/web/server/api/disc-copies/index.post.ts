import { beginCopy } from '@hematine/database'
import { handle } from '../../utils/handle'

export default handle('beginCopy', ({ application, body }) => beginCopy(application.em(), application.queue, body))
