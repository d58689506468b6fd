import { builtInSpecs, deriveTreatment, judge, type Check, type DeliverySpec, type SourceFacts, type Treatment } from '@hematine/core'
import { measureResult, readFacts, transcode, type MediaInput } from '@hematine/media'

export const openGate = { turn: async () => undefined }

export function specOf(key: string): DeliverySpec {
  return builtInSpecs.find(entry => entry.key === key)!
}

export interface Made {
  facts: SourceFacts
  treatment: Treatment
  check: Check
  outputPath: string
}

/** Does a job from a source to its check, as a worker's child would. */
export async function makeAndCheck(input: MediaInput, spec: DeliverySpec, outputPath: string): Promise<Made> {
  const facts = await readFacts(input)
  const treatment = deriveTreatment(facts, spec)
  const plan = { input, facts, treatment, spec, outputPath }
  await transcode(plan, openGate, () => undefined)
  return { facts, treatment, check: judge(await measureResult(plan, openGate, () => undefined), spec, treatment), outputPath }
}
