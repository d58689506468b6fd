import { chooseLotQuality } from '@hematine/database'
import { handle } from '../../../utils/handle'

export default handle('chooseLotQuality', ({ application, parameters, body }) =>
  chooseLotQuality(application.em(), application.queue, parameters.id, body),
)
