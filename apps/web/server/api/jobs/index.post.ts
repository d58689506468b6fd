import { draftJobIds, listJobs } from '@hematine/database'
import { handle } from '../../utils/handle'

/** Drafts whose records go with the answer; of more, browsers are told in pieces. */
const mostInAnswer = 500

export default handle('draftJobs', async ({ application, body }) => {
  const { ids, refused } = await draftJobIds(application.em(), application.queue, body.wishes, body.deliveryVolumeId)
  const jobs = ids.length > mostInAnswer ? [] : await listJobs(application.em(), { ids })
  return { drafted: ids.length, jobs, refused }
})
