import { readComparison } from '@hematine/database'
import { handle } from '../../utils/handle'

export default handle('readComparison', ({ application, query }) => readComparison(application.em(), query))
