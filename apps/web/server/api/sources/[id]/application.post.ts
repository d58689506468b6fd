import { arrangeSteps, asMeasured, CannotTreat, deriveTreatment } from '@hematine/core'
import { Problem, readSource, specCalled } from '@hematine/database'
import { handle } from '../../../utils/handle'

export default handle('applySteps', async ({ application, parameters: { id }, body }) => {
  const source = await readSource(application.em(), id)
  if (!source?.facts) throw new Problem(409, 'not-read', 'The source has no facts yet; steps cannot be tried on it.')
  const spec = await specCalled(application.em(), body.specKey)
  const { steps, moved } = arrangeSteps(body.steps)
  try {
    return {
      steps,
      moved,
      refused: null,
      treatment: deriveTreatment(asMeasured(source.facts, source.findings ?? []), spec, steps),
    }
  } catch (error) {
    if (!(error instanceof CannotTreat)) throw error
    return { steps, moved, refused: error.message, treatment: null }
  }
})
