import { listAssets } from '@hematine/database'
import { handle } from '../../utils/handle'

export default handle('listAssets', ({ application }) => listAssets(application.em()))
