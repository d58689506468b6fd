import { listTrials } from '@hematine/database'
import { handle } from '../../utils/handle'

export default handle('listTrials', ({ application, query }) => listTrials(application.em(), query))
