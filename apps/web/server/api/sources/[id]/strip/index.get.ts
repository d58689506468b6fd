import { stripOf } from '@hematine/database'
import { handle } from '../../../../utils/handle'

export default handle('sourceStrip', ({ application, parameters }) => stripOf(application.em(), parameters.id))
