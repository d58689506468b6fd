import { listJobs } from '@hematine/database'
import { handle } from '../../utils/handle'

export default handle('listJobs', ({ application, query }) => listJobs(application.em(), query))
