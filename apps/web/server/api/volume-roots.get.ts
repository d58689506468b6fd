import { handle } from '../utils/handle'
import { listRoots } from '../utils/volume-roots'

export default handle('listRoots', ({ application, query }) => listRoots(application.volumeRoots, query.path ?? null))
