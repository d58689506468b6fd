import { builtInSpecs } from '@hematine/core'
import { handle } from '../utils/handle'

export default handle('listSpecs', async () => [...builtInSpecs])
