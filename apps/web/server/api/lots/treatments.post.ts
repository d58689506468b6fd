import { treatLots } from '@hematine/database'
import { handle } from '../../utils/handle'

export default handle('treatLots', ({ application, body }) =>
  treatLots(application.em(), body.lotIds, body.treatmentId),
)
