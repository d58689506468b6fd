import { listSpecs } from '@hematine/database'
import { handle } from '../../utils/handle'

export default handle('listSpecs', ({ application }) => listSpecs(application.em()))
