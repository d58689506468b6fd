import { pageOfSources } from '@hematine/database'
import { handle } from '../../utils/handle'
import { lotOf } from '../../utils/lot-choice'

export default handle('listSources', ({ application, query }) =>
  application.lists.get(`sources ${JSON.stringify(query)}`, () => pageOfSources(application.em(), lotOf(query))),
)
