import { listEvents } from '@hematine/database'
import { handle } from '../utils/handle'

export default handle('listEvents', ({ application, query }) => listEvents(application.em(), query))
