import { listCopies } from '@hematine/database'
import { handle } from '../../utils/handle'

export default handle('listCopies', ({ application, query }) => listCopies(application.em(), query))
