import { setLanes } from '@hematine/database'
import { handle } from '../../utils/handle'

export default handle('changeWorker', async ({ application, parameters, body }) =>
  setLanes(application.em(), parameters.id, body.lanes),
)
