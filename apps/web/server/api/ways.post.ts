import { listVolumes, lotNamesOf } from '@hematine/database'
import { handle } from '../utils/handle'
import { viewVolume } from '../utils/volume-view'

export default handle('chooseWays', async ({ application, body: { orderId, ...asked } }) => {
  const em = application.em()
  const volumes = await Promise.all((await listVolumes(em)).filter(({ role }) => role === 'delivery').map(viewVolume))
  return application.agendas.ways({ orderId, names: await lotNamesOf(em, orderId), volumes }, asked)
})
