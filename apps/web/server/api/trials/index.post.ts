import { askForTrials } from '@hematine/database'
import { handle } from '../../utils/handle'

export default handle('askForTrials', ({ application, body }) =>
  askForTrials(application.em(), application.queue, body.sourceId, body.specKey, body.wishes),
)
