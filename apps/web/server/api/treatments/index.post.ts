import { keepTreatment } from '@hematine/database'
import { handle } from '../../utils/handle'

export default handle('keepTreatment', ({ application, body }) =>
  keepTreatment(application.em(), body.name, body.steps),
)
