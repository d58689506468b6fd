import { moveJobs } from '@hematine/database'
import { handle } from '../../utils/handle'

export default handle('moveJobs', ({ application, body }) => moveJobs(application.em(), body.ids, body.beforeId))
