import { forgetVolume } from '@hematine/database'
import { handle } from '../../../utils/handle'

export default handle('forgetVolume', async ({ application, parameters }) => {
  await forgetVolume(application.em(), parameters.id)
})
