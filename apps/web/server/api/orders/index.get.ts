import { listOrders } from '@hematine/database'
import { handle } from '../../utils/handle'

export default handle('listOrders', ({ application }) => listOrders(application.em()))
