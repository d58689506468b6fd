import { createOrder } from '@hematine/database'
import { handle } from '../../utils/handle'

export default handle('createOrder', ({ application, body }) =>
  createOrder(application.em(), { ...body, dueAt: body.dueAt === null ? null : new Date(body.dueAt) }),
)
