import {
  deliveredFacts,
  deriveTreatment,
  judge,
  pictureSpecs,
  soundSpecs,
  type Check,
  type PictureCheckMeasurement,
  type PictureSpec,
  type PictureTreatment,
  type SoundCheckMeasurement,
  type SoundSpec,
  type SoundTreatment,
  type SourceFacts,
  type Step,
} from '@hematine/core'
import { deliver, extractSound, measureSoundResult, readFacts, type MediaInput } from '@hematine/media'

export const openGate = { turn: async () => undefined }

export function specOf(key: string): PictureSpec {
  return pictureSpecs.find(entry => entry.key === key)!
}

export function soundSpecOf(key: string): SoundSpec {
  return soundSpecs.find(entry => entry.key === key)!
}

export interface Made {
  facts: SourceFacts
  treatment: PictureTreatment
  check: Check & { measurement: PictureCheckMeasurement }
  outputPath: string
}

/** Does a job from a source to its check, as a worker's child would. @param itemName of the source, where that matters */
export async function makeAndCheck(
  input: MediaInput,
  spec: PictureSpec,
  outputPath: string,
  steps: readonly Step[] = [],
  itemName?: string,
): Promise<Made> {
  const whole = await readFacts(input)
  const treatment = deriveTreatment(whole, spec, steps)
  const facts = deliveredFacts(whole, treatment)
  const plan = { input, facts, treatment, spec, outputPath, ...(itemName ? { itemName } : {}) }
  const measured = await deliver(plan, openGate, () => undefined)
  return {
    facts,
    treatment,
    check: judge(measured, spec, treatment, {
      facts: whole,
      findings: [],
      ...(itemName ? { name: itemName } : {}),
    }),
    outputPath,
  }
}

export interface MadeSound {
  facts: SourceFacts
  treatment: SoundTreatment
  check: Check & { measurement: SoundCheckMeasurement }
}

/** Takes sound out of a source and checks it, as a worker's child would. */
export async function extractAndCheck(
  input: MediaInput,
  spec: SoundSpec,
  outputPath: string,
  steps: readonly Step[] = [],
): Promise<MadeSound> {
  const facts = await readFacts(input)
  const treatment = deriveTreatment(facts, spec, steps)
  const plan = { input, facts: deliveredFacts(facts, treatment), treatment, spec, outputPath }
  await extractSound(plan, openGate, () => undefined)
  const measured = await measureSoundResult(plan, openGate, () => undefined)
  return { facts, treatment, check: judge(measured, spec, treatment, { facts, findings: [] }) }
}
