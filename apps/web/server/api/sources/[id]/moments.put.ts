import { momentsOf, setMoments } from '@hematine/database'
import { handle } from '../../../utils/handle'

export default handle('setMoments', async ({ application, parameters: { id }, body }) => {
  await setMoments(application.em(), id, body.moments)
  return momentsOf(application.em(), id)
})
