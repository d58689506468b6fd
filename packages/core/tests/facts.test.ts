import { describe, expect, test } from 'vitest'
import {
  describeMotionShort,
  describePictureSize,
  describePixelFormat,
  describeTrack,
  factLines,
} from '../src/index.ts'
import { discFacts, facts } from './examples.ts'

describe('pixel formats', () => {
  test.each([
    ['yuv420p', 8, '4:2:0', false],
    ['yuv422p10le', 10, '4:2:2', false],
    ['yuv411p', 8, '4:1:1', false],
    ['yuvj444p', 8, '4:4:4', false],
    ['p010le', 10, '4:2:0', false],
    ['nv12', 8, '4:2:0', false],
    ['rgb24', 8, 'RGB', true],
    ['rgb48le', 16, 'RGB', true],
    ['rgba64be', 16, 'RGB', true],
    ['gbrp12le', 12, 'RGB', true],
    ['gbrpf32le', 32, 'RGB', true],
    ['pal8', 8, 'RGB', true],
    ['gray', 8, 'grey', false],
    ['gray16le', 16, 'grey', false],
    ['uyvy422', 8, '4:2:2', false],
  ])('%s has %i bit, %s', (name, bitDepth, chroma, isRgb) => {
    expect(describePixelFormat(name)).toMatchObject({ bitDepth, chroma, isRgb })
  })
})

describe('facts in words', () => {
  test('say size and shape, rate and field order', () => {
    expect(describePictureSize(discFacts.video!)).toBe('720x576 16:9')
    expect(describeMotionShort(discFacts.video!)).toBe('25i top')
    expect(describeMotionShort(facts().video!)).toBe('25p')
  })

  test('say what is not stated', () => {
    expect(describeTrack(discFacts.audio[0]!)).toBe('AC-3, stereo, 48 kHz, 192 kbit/s, language not stated')
    const lines = new Map(
      factLines(
        facts({ frameCountFrom: 'length', colour: { range: null, primaries: null, transfer: null, matrix: null } }),
      ),
    )
    expect(lines.get('frames')).toBe('about 3000, worked out from the length')
    const counted = new Map(
      factLines(facts({ frameCountFrom: 'packets', repeats: 40, gaps: { count: 1, seconds: 0.152, places: [] } })),
    )
    expect(counted.get('frames')).toBe('3000, counted, 40 repeated by empty packets, 1 gap of 0.15 s in all')
    expect(lines.get('colour')).toBe('not stated / not stated / not stated, range not stated')
  })

  test('of sound alone name no picture', () => {
    expect(factLines({ ...facts(), video: null }).map(([name]) => name)).toEqual(['container', 'length', 'size'])
  })
})
