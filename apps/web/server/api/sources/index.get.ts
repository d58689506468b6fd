import { listSources } from '@hematine/database'
import { handle } from '../../utils/handle'

export default handle('listSources', ({ application, query }) => listSources(application.em(), query))
