import { expect, test } from 'vitest'
import {
  deriveTreatment,
  pictureSpecs,
  soundSpecs,
  whyNotCompared,
  type DeliverySpec,
  type SourceFacts,
} from '../src/index.ts'
import { facts } from './examples.ts'

/** Frames of two treatments that can be held against each other one by one. */
const small = pictureSpecs.find(({ key }) => key === 'small-mp4')!
const planned = (changes: Partial<NonNullable<SourceFacts['video']>> = {}, spec: DeliverySpec = small) => {
  const source = facts()
  return { spec, treatment: deriveTreatment({ ...source, video: { ...source.video!, ...changes } }, spec) } as never
}
const against = (other: never) => whyNotCompared(planned(), other)

test('are those of one size, layout and rate', () => {
  expect(against(planned())).toBeNull()
  // A frame more or less is no matter.
  expect(against(planned({ frameCount: 7 }))).toBeNull()
})

test('are none where they differ in these, and what would help is said', () => {
  expect(against(planned({ width: 960, height: 540 }))).toMatch(
    /come to \d+x\d+ and 960x540. Give the smaller one a step/,
  )
  expect(against(planned({ frameRate: { num: 12, den: 1 } }))).toMatch(/and 12 a second. Set the rate/)
  const deeper = pictureSpecs.find(({ key }) => key === 'archive-master')!
  expect(against(planned({ pixelFormat: 'yuv422p10le', bitDepth: 10 }, deeper))).toMatch(
    /Draft both with the same spec/,
  )
})

test('are none of sound', () => {
  const [sound] = soundSpecs
  expect(against({ spec: sound, treatment: deriveTreatment(facts(), sound!) } as never)).toMatch(/with a picture/)
})
