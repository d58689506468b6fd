import { describe, expect, test } from 'vitest'
import {
  assumedColour,
  completeColour,
  describeColourTag,
  hd,
  isHighDefinition,
  lumaWeights,
  rgb,
  sd525,
  sd625,
  targetColour,
} from '../src/index.ts'

const unknown = { range: null, primaries: null, transfer: null, matrix: null }

describe('colour of untagged pictures', () => {
  test.each([
    [{ width: 720, height: 576 }, false, sd625],
    [{ width: 720, height: 480 }, false, sd525],
    [{ width: 720, height: 486 }, false, sd525],
    [{ width: 320, height: 240 }, false, sd525],
    [{ width: 1280, height: 720 }, false, hd],
    [{ width: 1920, height: 1080 }, false, hd],
    [{ width: 720, height: 576 }, true, rgb],
  ])('%o, RGB %s', (size, isRgb, expected) => {
    expect(assumedColour(size, isRgb)).toEqual(expected)
  })

  test('a tag that is there is believed, the rest is assumed', () => {
    expect(completeColour({ ...unknown, matrix: 'bt709' }, { width: 720, height: 576 }, false)).toEqual({
      ...sd625,
      matrix: 'bt709',
    })
  })

  test('RGB has no matrix whatever a tag says, and YUV is never "gbr"', () => {
    expect(completeColour({ ...unknown, matrix: 'bt709' }, { width: 1920, height: 1080 }, true).matrix).toBe('gbr')
    expect(completeColour({ ...unknown, matrix: 'gbr' }, { width: 1920, height: 1080 }, false).matrix).toBe('bt709')
  })
})

describe('colour of results', () => {
  test('SD enlarged to HD becomes BT.709, SD that stays SD keeps its system', () => {
    expect(targetColour(sd625, { width: 1440, height: 1080 })).toEqual(hd)
    expect(targetColour(sd525, { width: 720, height: 480 })).toEqual(sd525)
  })

  test('rendered RGB becomes BT.709 at any size; wide gamut is kept', () => {
    expect(targetColour(rgb, { width: 640, height: 360 })).toEqual(hd)
    const wide = { range: 'limited' as const, primaries: 'bt2020', transfer: 'smpte2084', matrix: 'bt2020nc' }
    expect(targetColour(wide, { width: 1920, height: 1080 })).toEqual(wide)
  })

  test('a full-range source becomes limited', () => {
    expect(targetColour({ ...hd, range: 'full' }, { width: 1920, height: 1080 }).range).toBe('limited')
  })
})

test('luma weights are those of ITU-T H.273 table 4', () => {
  expect(lumaWeights('bt709')).toEqual({ kr: 0.2126, kb: 0.0722 })
  expect(lumaWeights('smpte170m')).toEqual({ kr: 0.299, kb: 0.114 })
  expect(lumaWeights('bt2020nc')).toEqual({ kr: 0.2627, kb: 0.0593 })
  expect(lumaWeights('ycgco')).toBeNull()
})

test('high definition begins above 576 lines or 1024 columns', () => {
  expect(isHighDefinition({ width: 1024, height: 576 })).toBe(false)
  expect(isHighDefinition({ width: 1280, height: 544 })).toBe(true)
})

test('tags read as the trade says them', () => {
  expect(describeColourTag('bt709')).toBe('BT.709')
  expect(describeColourTag(null)).toBe('not stated')
  expect(describeColourTag('film')).toBe('film')
})
