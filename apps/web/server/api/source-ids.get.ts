import { sourceIdsOf } from '@hematine/database'
import { handle } from '../utils/handle'
import { lotOf } from '../utils/lot-choice'

export default handle('listSourceIds', ({ application, query }) => sourceIdsOf(application.em(), lotOf(query)))
