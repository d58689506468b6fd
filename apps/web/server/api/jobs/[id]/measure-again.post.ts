import { measureJobAgain } from '@hematine/database'
import { handle } from '../../../utils/handle'

export default handle('measureAgain', ({ application, parameters }) =>
  measureJobAgain(application.em(), application.queue, parameters.id),
)
