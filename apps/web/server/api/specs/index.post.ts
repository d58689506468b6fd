import { keepSpec } from '@hematine/database'
import { handle } from '../../utils/handle'

export default handle('createSpec', ({ application, body }) => keepSpec(application.em(), body, null))
