import { handle } from '../utils/handle'
import { openApiDocument } from '../utils/openapi'

export default handle('describe', async () => ({ ...openApiDocument() }))
