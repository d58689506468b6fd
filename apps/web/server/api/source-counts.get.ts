import { countSources } from '@hematine/database'
import { handle } from '../utils/handle'

export default handle('countSources', ({ application, query }) => countSources(application.em(), query.orderId))
