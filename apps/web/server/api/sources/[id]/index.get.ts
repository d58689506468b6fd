import { listSources, Problem } from '@hematine/database'
import { handle } from '../../../utils/handle'

export default handle('readSource', async ({ application, parameters }) => {
  const [source] = await listSources(application.em(), { ids: [parameters.id] })
  if (!source)
    throw new Problem(404, 'not-found', `There is no source ${parameters.id}. It may have been taken out of its order.`)
  return source
})
