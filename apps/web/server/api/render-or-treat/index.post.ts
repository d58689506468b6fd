import { handle } from '../../utils/handle'
import { weighRenders } from '../../utils/render-ways'

export default handle('renderOrTreat', async ({ application, body }) => (await weighRenders(application, body)).answer)
