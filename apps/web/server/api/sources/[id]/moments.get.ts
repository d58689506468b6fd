import { momentsOf } from '@hematine/database'
import { handle } from '../../../utils/handle'

export default handle('readMoments', ({ application, parameters: { id } }) => momentsOf(application.em(), id))
