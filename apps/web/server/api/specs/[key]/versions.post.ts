import { keepSpec } from '@hematine/database'
import { handle } from '../../../utils/handle'

export default handle('changeSpec', ({ application, parameters, body }) =>
  keepSpec(application.em(), body, parameters.key),
)
