import { shotsToAnnounce } from '@hematine/core'
import { addLike } from '@hematine/database'
import { handle } from '../../utils/handle'
import { weighRenders } from '../../utils/render-ways'

export default handle('announceRenders', async ({ application, body: { way, name, ...question } }) => {
  const { answer, tests } = await weighRenders(application, question)
  const shots = shotsToAnnounce(name, question, way, tests[way], answer)
  return addLike(application.em(), question.orderId, shots, tests[way])
})
