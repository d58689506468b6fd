import { endSession } from '../../utils/entrance'
import { handle } from '../../utils/handle'

export default handle('endSession', async ({ event }) => {
  await endSession(event)
})
