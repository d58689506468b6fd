import { listWatches } from '@hematine/database'
import { handle } from '../../utils/handle'

export default handle('listWatches', ({ application, query }) => listWatches(application.em(), query))
