import { changeHours } from '@hematine/database'
import { handle } from '../../utils/handle'

export default handle('changeWorkingHours', ({ application, body }) => changeHours(application.em(), body))
