import { draftJobs } from '@hematine/database'
import { handle } from '../../utils/handle'

export default handle('draftJobs', ({ application, body }) =>
  draftJobs(application.em(), application.queue, body.wishes, body.deliveryVolumeId),
)
