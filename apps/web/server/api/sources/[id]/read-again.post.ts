import { readAgain } from '@hematine/database'
import { handle } from '../../../utils/handle'

export default handle('readAgain', ({ application, parameters, body }) => readAgain(application.em(), application.queue, parameters.id, body.frameRate))
