import { renameLot } from '@hematine/database'
import { handle } from '../../utils/handle'

export default handle('renameLot', ({ application, parameters, body }) =>
  renameLot(application.em(), parameters.id, body.name),
)
