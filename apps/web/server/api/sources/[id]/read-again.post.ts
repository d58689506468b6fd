import { bringIn, readAgain, readSource, sourceVolumeOf } from '@hematine/database'
import { handle } from '../../../utils/handle'
import { sequenceAsItIs } from '../../../utils/arrivals'

export default handle('readAgain', async ({ application, parameters, body }) => {
  const source = await readSource(application.em(), parameters.id)
  if (source?.kind === 'sequence' && source.sequence) {
    // Frames may have come since.
    const arrival = await sequenceAsItIs(
      sourceVolumeOf(source),
      source.relativePath,
      source.sequence,
      body.frameRate ?? source.frameRate,
    )
    if (arrival) await bringIn(application.em(), application.queue, source.order.id, [arrival])
  }
  return readAgain(application.em(), application.queue, parameters.id, body.frameRate)
})
