import { listOrders, listVolumes } from '@hematine/database'
import { handle } from '../utils/handle'
import { viewVolume } from '../utils/volume-view'

export default handle('lookAhead', async ({ application, query }) => {
  const em = application.em()
  const volumes = await Promise.all((await listVolumes(em)).filter(({ role }) => role === 'delivery').map(viewVolume))
  return application.agendas.outlook(await listOrders(em), volumes, query.supposed)
})
