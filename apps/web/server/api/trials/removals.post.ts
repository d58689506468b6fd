import { removeTrials } from '@hematine/database'
import { handle } from '../../utils/handle'

export default handle('removeTrials', ({ application, body }) => removeTrials(application.em(), body.ids))
