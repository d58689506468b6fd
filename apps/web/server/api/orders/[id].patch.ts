import { changeOrder } from '@hematine/database'
import { handle } from '../../utils/handle'

export default handle('changeOrder', ({ application, parameters, body: { dueAt, ...rest } }) =>
  changeOrder(application.em(), parameters.id, {
    ...rest,
    ...(dueAt === undefined ? {} : { dueAt: dueAt === null ? null : new Date(dueAt) }),
  }),
)
