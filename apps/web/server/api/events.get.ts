import { createEventStream } from 'h3'
import { handle } from '../utils/handle'

export default handle('liveChanges', async ({ application, query, event }) => {
  const stream = createEventStream(event)
  application.live.add({ orderId: query.orderId, stream })
  void stream.push({ event: 'ready', data: '{}' })
  return stream.send()
})
