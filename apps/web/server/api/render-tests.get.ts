import { asTest, secondsOfFrame } from '@hematine/core'
import { calibrationsOf, renderTestsOf } from '@hematine/database'
import { handle } from '../utils/handle'

export default handle('listRenderTests', async ({ application, query: { orderId } }) => {
  const em = application.em()
  const ground = { calibrations: await calibrationsOf(em) }
  return (await renderTestsOf(em, { orderId })).map(row => ({
    ...{ jobId: row.jobId, sourceName: row.sourceName, specName: row.specName, steps: row.steps },
    source: { width: row.sourceWidth, height: row.sourceHeight, frames: row.sourceFrames },
    result: { width: row.resultWidth, height: row.resultHeight },
    secondsPerFrame: secondsOfFrame(asTest(row, ground)),
  }))
})
