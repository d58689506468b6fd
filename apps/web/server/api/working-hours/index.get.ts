import { hoursOf } from '@hematine/database'
import { handle } from '../../utils/handle'

export default handle('workingHours', ({ application }) => hoursOf(application.em()))
