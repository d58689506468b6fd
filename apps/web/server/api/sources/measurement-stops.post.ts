import { stopMeasuring } from '@hematine/database'
import { handle } from '../../utils/handle'

export default handle('stopMeasuring', async ({ application, body }) => ({
  stopped: await stopMeasuring(application.em(), body.ids),
}))
