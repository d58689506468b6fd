import { draftJobIds, listJobs } from '@hematine/database'
import { handle } from '../../utils/handle'

/** Drafts whose records go with the answer; of more, lists are asked for. */
const mostInAnswer = 500

export default handle('draftJobs', async ({ application, body, signal }) => {
  const { wishes, deliveryVolumeId, progressName } = body
  const { ids, refused } = await draftJobIds(application.em(), application.queue, wishes, deliveryVolumeId, {
    signal,
    progress: (done, of) => {
      if (progressName) application.live.tellDrafting({ name: progressName, done, of })
    },
  })
  const jobs = ids.length > mostInAnswer ? [] : await listJobs(application.em(), { ids })
  return { drafted: ids.length, jobs, refused }
})
