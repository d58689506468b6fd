import { suggestSteps } from '@hematine/core'
import { Problem, readSource } from '@hematine/database'
import { handle } from '../../../utils/handle'

export default handle('suggestSteps', async ({ application, parameters: { id } }) => {
  const source = await readSource(application.em(), id)
  if (!source?.facts) throw new Problem(409, 'not-read', 'The source has no facts yet; nothing can be suggested.')
  return suggestSteps(source.facts, source.findings ?? [])
})
