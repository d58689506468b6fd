import { stopComparison } from '@hematine/database'
import { handle } from '../../utils/handle'

export default handle('stopComparison', ({ application, query }) => stopComparison(application.em(), query))
