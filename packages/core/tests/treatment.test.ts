import { describe, expect, test } from 'vitest'
import {
  CannotTreat,
  deriveTreatment,
  describeStep,
  describeTreatmentResult,
  keyframeDistance,
  losslessPixelFormat,
  rational,
} from '../src/index.ts'
import { discFacts, facts, spec } from './examples.ts'

describe('a wide 576i disc', () => {
  test('for the playback box is deinterlaced, enlarged in shape and given HD colour', () => {
    const treatment = deriveTreatment(discFacts, spec('playback-box'))
    expect(treatment.steps.map(step => step.kind)).toEqual(['deinterlace', 'size', 'colour'])
    expect(treatment.steps[0]).toMatchObject({ firstField: 'top', to: 'frame rate' })
    expect(treatment.result).toMatchObject({
      frame: { width: 1920, height: 1080, pixelAspect: { num: 1, den: 1 } },
      rate: { num: 25, den: 1 },
      scan: 'progressive',
      pixelFormat: 'yuv420p',
      frameCount: 350,
    })
    expect(treatment.result.colour).toMatchObject({
      matrix: 'bt709',
      primaries: 'bt709',
      transfer: 'bt709',
      range: 'limited',
    })
    expect(describeTreatmentResult(treatment)).toBe('1920x1080 16:9, 25 fps progressive, 8 bit 4:2:0, BT.709')
  })

  test('as a small file gives one frame a field, keeps its pixels and its SD colour', () => {
    const treatment = deriveTreatment(discFacts, spec('small-mkv'))
    expect(treatment.result).toMatchObject({
      frame: { width: 720, height: 576, pixelAspect: { num: 64, den: 45 } },
      rate: { num: 50, den: 1 },
      frameCount: 700,
    })
    expect(treatment.result.colour.matrix).toBe('bt470bg')
    expect(treatment.steps.map(step => step.kind)).toEqual(['deinterlace'])
  })

  test('as an editing or archive master stays interlaced and is not touched', () => {
    for (const key of ['editing-master', 'archive-master']) {
      const treatment = deriveTreatment(discFacts, spec(key))
      expect(treatment.steps).toEqual([])
      expect(treatment.result.scan).toBe('top field first')
    }
  })

  test('whose field order is unknown is deinterlaced as each frame says', () => {
    const unsure = {
      ...discFacts,
      video: { ...discFacts.video!, scan: { kind: 'mixed' as const, firstField: null, framesRead: 13 } },
    }
    expect(describeStep(deriveTreatment(unsure, spec('playback-box')).steps[0]!)).toBe(
      'Deinterlace to one frame a frame, field order as each frame says, combed frames only',
    )
  })
})

describe('rates', () => {
  test('above the limit are divided by a whole number, so that motion stays even', () => {
    const treatment = deriveTreatment(facts({ frameRate: rational(50), frameCount: 6000 }), spec('playback-box'))
    expect(treatment.result.rate).toEqual({ num: 25, den: 1 })
    expect(treatment.result.frameCount).toBe(3000)
    expect(treatment.steps[0]).toMatchObject({
      kind: 'rate',
      why: '50 fps is more than the 30 that Playback box MP4 allows. 50 % of the frames are dropped.',
    })
  })

  test('that vary become constant', () => {
    const treatment = deriveTreatment(facts({ rateIs: 'variable', frameCount: 2500 }), spec('small-mp4'))
    expect(treatment.steps[0]!.kind).toBe('rate')
    // 120 s at 25 frames a second, whatever the container counted.
    expect(treatment.result.frameCount).toBe(3000)
  })
})

describe('rendered RGB', () => {
  const render = facts({
    pixelFormat: 'rgb24',
    isRgb: true,
    chroma: 'RGB',
    codec: 'png',
    colour: { range: null, primaries: null, transfer: null, matrix: null },
  })

  test('becomes limited BT.709 for viewing', () => {
    const treatment = deriveTreatment(render, spec('playback-box'))
    expect(treatment.sourceColour).toMatchObject({ matrix: 'gbr', range: 'full' })
    expect(treatment.result.colour).toMatchObject({ matrix: 'bt709', range: 'limited' })
  })

  test('stays RGB in the archive, in the layout that FFV1 has for 8 bits', () => {
    const treatment = deriveTreatment(render, spec('archive-master'))
    expect(treatment.result).toMatchObject({ pixelFormat: 'bgr0', colour: { matrix: 'gbr', range: 'full' } })
    expect(treatment.steps).toEqual([])
  })
})

test.each([
  ['rgb48be', 'gbrp16le'],
  ['yuv411p', 'yuv411p'],
  ['yuvj420p', 'yuv420p'],
  ['pal8', 'bgra'],
])('%s is archived as %s', (from, to) => {
  expect(losslessPixelFormat(from)).toBe(to)
})

test('a source without a picture is refused with a sentence', () => {
  expect(() => deriveTreatment({ ...facts(), video: null }, spec('playback-box'))).toThrow(CannotTreat)
  expect(() => deriveTreatment({ ...facts(), video: null }, spec('playback-box'))).toThrow(
    'Playback box MP4 needs a picture, and this source has none.',
  )
})

test('an interlaced picture whose height would change is refused, for that would mix its fields', () => {
  const tall = { ...discFacts, video: { ...discFacts.video!, width: 4100, height: 2400 } }
  expect(() => deriveTreatment(tall, spec('editing-master'))).toThrow('mixes its fields')
})

test("keyframes come at the spec's distance in frames of the result", () => {
  expect(keyframeDistance(spec('playback-box'), deriveTreatment(discFacts, spec('playback-box')))).toBe(50)
  expect(keyframeDistance(spec('small-mkv'), deriveTreatment(discFacts, spec('small-mkv')))).toBe(500)
  expect(keyframeDistance(spec('editing-master'), deriveTreatment(discFacts, spec('editing-master')))).toBe(1)
  // A keyframe every 20 ms of 25 fps would be every frame.
  const close = spec('playback-box')
  const dense = { ...close, video: { ...close.video, keyframeSeconds: 0.02 } }
  expect(keyframeDistance(dense, deriveTreatment(discFacts, dense))).toBe(2)
})
