import { bringIn, readSourceVolume, type Arrival } from '@hematine/database'
import { handle } from '../../utils/handle'
import { resolveArrival } from '../../utils/arrivals'

export default handle('bringIn', async ({ application, body }) => {
  const em = application.em()
  const arrivals: Arrival[] = []
  for (const arrival of body.arrivals)
    arrivals.push(await resolveArrival(await readSourceVolume(em, arrival.volumeId), arrival))
  return bringIn(application.em(), application.queue, body.orderId, arrivals)
})
