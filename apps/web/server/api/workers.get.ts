import { listWorkers } from '@hematine/database'
import { handle } from '../utils/handle'

export default handle('listWorkers', ({ application }) => listWorkers(application.em()))
