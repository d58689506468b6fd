import { addStep } from '@hematine/database'
import { handle } from '../../../utils/handle'

export default handle('addStep', ({ application, parameters, body }) =>
  addStep(application.em(), application.queue, parameters.id, body.step),
)
