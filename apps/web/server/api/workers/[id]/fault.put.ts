import { setFault } from '@hematine/database'
import { handle } from '../../../utils/handle'

export default handle('changeFault', async ({ application, parameters, body }) =>
  setFault(application.em(), parameters.id, body.fault),
)
