import { listTreatments } from '@hematine/database'
import { handle } from '../../utils/handle'

export default handle('listTreatments', ({ application }) => listTreatments(application.em()))
