import { calibrationsOf, countOutcomes, listOutcomes } from '@hematine/database'
import { handle } from '../utils/handle'

export default handle('listOutcomes', async ({ application, query }) => {
  const em = application.em()
  const calibrations = await calibrationsOf(em)
  return {
    total: await countOutcomes(em),
    outcomes: await listOutcomes(em, query.limit),
    calibrated: Object.fromEntries([...calibrations].map(([kind, { count }]) => [kind, count])),
  }
})
