import { giveSession } from '../../utils/entrance'
import { handle } from '../../utils/handle'

export default handle('giveSession', async ({ event, body }) => {
  await giveSession(event, body.passphrase)
})
