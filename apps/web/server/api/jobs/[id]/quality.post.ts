import { chooseQuality } from '@hematine/database'
import { handle } from '../../../utils/handle'

export default handle('chooseQuality', ({ application, parameters, body }) =>
  chooseQuality(application.em(), application.queue, parameters.id, body),
)
