import { mergeLots } from '@hematine/database'
import { handle } from '../../utils/handle'

export default handle('mergeLots', ({ application, body }) => mergeLots(application.em(), body.ids))
