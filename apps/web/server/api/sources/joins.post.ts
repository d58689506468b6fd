import { joinSources } from '@hematine/database'
import { handle } from '../../utils/handle'

export default handle('joinSources', ({ application, body }) =>
  joinSources(application.em(), application.queue, body.sourceIds),
)
