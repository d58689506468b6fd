import { askToMeasure } from '@hematine/database'
import { handle } from '../../utils/handle'

export default handle('measureSources', async ({ application, body }) => ({
  queued: await askToMeasure(application.em(), application.queue, body.ids, body.depth),
}))
