import { expectLastFrame } from '@hematine/database'
import { handle } from '../../../utils/handle'

export default handle('expectLastFrame', ({ application, parameters, body }) =>
  expectLastFrame(application.em(), parameters.id, body.expectedLast),
)
