import { segmentLengthOf } from '@hematine/core'
import { readJob } from '@hematine/database'
import { handle } from '../../../utils/handle'

export default handle('readJob', ({ application, parameters }) =>
  readJob(application.em(), parameters.id, segmentLengthOf(application.settings)),
)
