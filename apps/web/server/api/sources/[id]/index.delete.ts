import { removeSource } from '@hematine/database'
import { handle } from '../../../utils/handle'

export default handle('removeSource', async ({ application, parameters }) => {
  await removeSource(application.em(), parameters.id)
})
