import { askForComparison } from '@hematine/database'
import { handle } from '../../utils/handle'

export default handle('compareRenders', ({ application, query }) =>
  askForComparison(application.em(), application.queue, query),
)
