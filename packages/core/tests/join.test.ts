import { describe, expect, test } from 'vitest'
import { factLines, joinFacts, joinPartFacts, joinProblem, type SourceFacts } from '../src/index.ts'
import { facts } from './examples.ts'

const named = (...list: SourceFacts[]) => list.map((entry, index) => ({ name: `part ${index + 1}`, facts: entry }))

describe('a join', () => {
  test("has the parts' lengths, frames and bytes added up", () => {
    const one = { ...facts({ frameCount: 100 }), bytes: 1000 }
    const two = { ...facts({ frameCount: 50, rateIs: 'variable' }), bytes: 3000, remarks: ['The index is missing.'] }
    const joined = joinFacts(named(one, two))
    expect(joined).toMatchObject({
      bytes: 4000,
      durationSeconds: 6,
      video: { frameCount: 150, rateIs: 'variable' },
      joined: [
        { name: 'part 1', from: 0 },
        { name: 'part 2', from: 4 },
      ],
    })
    expect(joined.bitsPerSecond).toBeCloseTo((4000 * 8) / 6)
    expect(joined.remarks).toEqual(['part 2: The index is missing.'])
    expect(factLines(joined)[0]).toEqual(['joined from', 'part 1 (0:00.0), part 2 (0:04.0)'])
  })

  test("ends its sound where the last part's ends, and promises nothing that only a part did", () => {
    const one = { ...facts({ frameCount: 100 }), promised: { frames: 120, seconds: 4.8 } }
    const two = facts({ frameCount: 50 })
    const ending = (seconds: number) => ({ ...two, audio: [{ ...two.audio[0]!, endSeconds: seconds }] })
    expect(joinFacts(named(one, ending(1.9))).audio[0]!.endSeconds).toBeCloseTo(5.9)
    expect(joinFacts(named(one, ending(2.4))).audio[0]!.endSeconds).toBe(6)
    expect(joinFacts(named(ending(1.9), one)).audio[0]!.endSeconds).toBeUndefined()
    expect(joinFacts(named(one, two)).promised).toBeUndefined()
  })

  test("knows where each part's picture begins in its own file", () => {
    const source = facts({ streamIndex: 1, startTicks: 45_000, timeBase: { num: 1, den: 90_000 }, frameCount: 75 })
    const part = joinPartFacts({ ...source, audio: [0, 2].map(streamIndex => ({ ...source.audio[0]!, streamIndex })) })
    expect(part).toEqual({ seconds: 3, picture: { stream: 1, zeroSeconds: 0.5 }, sound: [0, 2] })
  })

  test.each([
    [[facts()], 'Choose two sources or more'],
    [[facts(), facts({ width: 640 })], /^part 2 cannot follow part 1: its picture is 640x/],
    [[facts(), facts({ frameRate: { num: 30, den: 1 } })], 'its rate is 30 fps, not 25'],
    [[facts(), facts({ pixelFormat: 'yuv422p10le' })], 'its samples are yuv422p10le'],
    [
      [facts(), facts({ colour: { range: 'limited', primaries: 'bt709', transfer: 'bt709', matrix: 'smpte170m' } })],
      'its colours are coded in another way',
    ],
    [[facts(), { ...facts(), video: null }], 'one has a picture, the other has none'],
    [[facts(), { ...facts(), audio: [] }], 'it has 0 sound tracks, not 1'],
    [
      [facts(), { ...facts(), audio: [{ ...facts().audio[0]!, sampleRate: 44_100 }] }],
      'its sound track 1 is of another kind',
    ],
    [
      [
        { ...facts(), video: null, durationSeconds: null },
        { ...facts(), video: null },
      ],
      'part 1 does not say how long it is',
    ],
  ])('of what is not alike is refused with the difference (%#)', (list, words) => {
    expect(joinProblem(named(...list))).toMatch(words)
  })

  test('of what is alike is allowed', () => {
    expect(joinProblem(named(facts(), facts(), facts()))).toBeNull()
  })
})
