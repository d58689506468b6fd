import { handle } from '../utils/handle'

export default handle('health', async ({ application }) => application.health.read())
