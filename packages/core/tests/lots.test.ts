import { describe, expect, test } from 'vitest'
import {
  describeLikeness,
  differencesBetween,
  finding,
  likenessKey,
  likenessOf,
  lotLetter,
  materialOf,
  oddOneOutOf,
  runsToMeasure,
} from '../src/index.ts'
import { facts } from './examples.ts'

const blocking = finding(
  'blocking',
  'fault',
  'Heavy blocking: steps at an 8-pixel grid are 3.0 times those elsewhere.',
  { sure: 0.95, data: { weight: 'heavy' } },
)
const scanBottom = finding('scan', 'nature', 'Interlaced, bottom field first.', {
  data: { scan: 'interlaced', firstField: 'bottom' },
})

describe('likeness', () => {
  test('comes from the facts, and from the findings once there are any', () => {
    const plain = likenessOf(facts(), [])
    expect(plain.traits).toEqual([])
    const measured = likenessOf(facts(), [blocking, scanBottom])
    expect(measured).toMatchObject({ scan: 'bottom field first', traits: ['heavy blocking'] })
    expect(likenessKey(measured)).not.toBe(likenessKey(plain))
    expect(describeLikeness(measured)).toContain('bottom field first')
    expect(describeLikeness(measured)).toContain('heavy blocking')
  })

  test('tells moving pictures, stills and sound apart', () => {
    const moving = facts()
    expect(materialOf(moving)).toBe('moving picture')
    expect(materialOf({ ...moving, video: null })).toBe('sound')
    expect(materialOf({ ...moving, audio: [], video: { ...moving.video!, frameCount: 1 } })).toBe('still')
    expect(describeLikeness(likenessOf({ ...moving, video: null }, []))).toMatch(/^sound, /)
  })

  test('names what differs', () => {
    const [one, other] = [likenessOf(facts(), [blocking]), likenessOf(facts(), [])]
    expect(differencesBetween(one, other)).toEqual(['heavy blocking'])
    expect(differencesBetween(other, one)).toEqual(['no heavy blocking'])
    expect(differencesBetween({ ...one, rate: '25' }, { ...one, rate: '50' })).toEqual(['25 fps instead of 50'])
  })
})

describe('how fine lots are', () => {
  const doubtful = finding('blocking', 'fault', 'Heavy blocking.', { sure: 0.65, data: { weight: 'heavy' } })
  const soft = finding('soft', 'fault', 'Soft.', { sure: 0.95 })

  test('doubtful traits, and those that call for no treatment, split only fine lots', () => {
    expect(likenessKey(likenessOf(facts(), [doubtful, soft]))).toBe(likenessKey(likenessOf(facts(), [])))
    expect(likenessOf(facts(), [doubtful, soft], 'fine').traits).toEqual(['heavy blocking', 'soft or enlarged'])
  })

  test('rates of 12 and 12.05 are one', () => {
    const at = (num: number, den: number) => likenessOf(facts({ frameRate: { num, den } }), []).rate
    expect(at(12, 1)).toBe(at(241, 20))
    expect(at(30, 1)).not.toBe(at(25, 1))
  })

  test('coarse lots ask for frame, shape and scan only', () => {
    expect(
      likenessKey(likenessOf(facts({ frameRate: { num: 50, den: 1 }, codec: 'hevc' }), [blocking], 'coarse')),
    ).toBe(likenessKey(likenessOf(facts(), [], 'coarse')))
  })
})

describe('the odd one out', () => {
  const base = likenessOf(facts(), [])
  const lots = [
    { id: 1, likeness: { ...base, rate: '50' }, count: 14 },
    { id: 2, likeness: { ...base, rate: '50', codec: 'DV' }, count: 40 },
    { id: 3, likeness: { ...base, frame: '8x8', aspect: '1:1', codec: 'PNG' }, count: 90 },
  ]

  test('belongs to the lot with the fewest differences', () => {
    expect(oddOneOutOf({ ...base, rate: '25' }, lots)).toMatchObject({
      lot: { id: 1 },
      differences: ['25 fps instead of 50'],
    })
  })

  test('belongs to none that differs in more than two points, nor to another lone source', () => {
    expect(oddOneOutOf({ ...base, rate: '25', frame: '9x9', aspect: '2:1', codec: 'x' }, lots)).toBeNull()
    expect(oddOneOutOf({ ...base, rate: '25' }, [{ likeness: { ...base, rate: '50' }, count: 1 }])).toBeNull()
  })
})

test('lots are lettered A to Z, then AA', () => {
  expect([0, 1, 25, 26, 27, 51, 52].map(lotLetter)).toEqual(['A', 'B', 'Z', 'AA', 'AB', 'AZ', 'BA'])
})

describe('what is measured of a source', () => {
  test('is all of a short one', () => {
    expect(runsToMeasure(250, 'sampled')).toEqual([{ first: 0, frames: 250 }])
  })

  test('is spread evenly over a long one, from its first frame to its last', () => {
    const runs = runsToMeasure(180_000, 'sampled')
    expect(runs).toHaveLength(10)
    expect(runs[0]).toEqual({ first: 0, frames: 25 })
    expect(runs[9]).toEqual({ first: 179_975, frames: 25 })
    const gaps = runs.slice(1).map((run, index) => run.first - runs[index]!.first)
    expect(Math.max(...gaps) - Math.min(...gaps)).toBeLessThanOrEqual(1)
    expect(runsToMeasure(180_000, 'deep')).toHaveLength(60)
  })
})
