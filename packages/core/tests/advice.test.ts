import { describe, expect, test } from 'vitest'
import {
  builtInSpecs,
  containers,
  marksOf,
  outputKind,
  pictureCodecs,
  purposes,
  rangeAround,
  reachOf,
  specProblems,
  type Container,
  type SpecWork,
} from '../src/index.ts'

/** What results are wanted for, and what sets the specs for it apart. */

const spec = (key: string) => builtInSpecs.find(entry => entry.key === key)!

describe('a purpose', () => {
  test.each(purposes.map(purpose => [purpose.name, purpose] as const))(
    '%s has two or three shipped specs, each in another way',
    (_, { specs }) => {
      expect(specs.length).toBeGreaterThanOrEqual(2)
      expect(specs.length).toBeLessThanOrEqual(3)
      expect(specs.every(key => spec(key) !== undefined)).toBe(true)
      const ways = specs.map(key => JSON.stringify([spec(key).container, spec(key).video, spec(key).audio]))
      expect(new Set(ways).size).toBe(specs.length)
    },
  )

  test('of films has no stills, and of print nothing else', () => {
    const kinds = (key: string) =>
      purposes.find(entry => entry.key === key)!.specs.map(entry => outputKind(spec(entry)))
    expect(kinds('print')).toEqual(['still', 'still'])
    for (const key of ['edit', 'archive', 'box', 'television', 'web', 'mail'])
      expect(new Set(kinds(key))).toEqual(new Set(['moving picture']))
  })

  test('of television makes what such equipment has: 720 by 576 at 25, and 720 by 480 at 30000/1001', () => {
    for (const [key, lines, num, den] of [
      ['television-625', 576, 25, 1],
      ['television-525', 480, 30_000, 1001],
    ] as const) {
      const made = spec(key)
      expect(specProblems(made)).toEqual([])
      expect(made.video).toMatchObject({
        frame: { maxWidth: 720, maxHeight: lines, exactly: 'padded', shownAs: 'nearer' },
        maxFrameRate: { num, den },
        holdsFrameRate: true,
      })
    }
  })

  test('of a mail holds 20 MB', () => {
    expect(spec('mail-mp4').video!.rateControl).toEqual({ kind: 'size cap', bytes: 20_000_000 })
  })
})

test('of every container and codec it is said what opens it', () => {
  for (const container of Object.keys(containers) as Container[])
    for (const codec of [...containers[container].picture, 'none'])
      expect(reachOf({ container, video: codec === 'none' ? null : ({ codec } as never) }).says.length).toBeGreaterThan(
        5,
      )
  expect(pictureCodecs.length).toBeGreaterThan(15)
})

describe('what sets specs apart', () => {
  const work = (bytes: number, seconds: number, unknown = 0): Pick<SpecWork, 'totals'> => ({
    totals: {
      jobs: 4,
      measured: 4 - unknown,
      byLike: 0,
      unknown,
      unmeasurable: 0,
      seconds: rangeAround(seconds, 0.1),
      measuredSeconds: rangeAround(seconds, 0.1),
      bytes: rangeAround(bytes, 0.1),
      end: null,
    },
  })
  const specs = ['web-mp4', 'open-web-mp4', 'open-web-webm'].map(spec)

  test('is who opens it, who is smallest, and who takes longest', () => {
    expect(marksOf([work(900, 60), work(400, 300), work(500, 200)], specs)).toEqual([
      ['opens nearly everywhere', 'largest', 'quickest'],
      ['smallest', 'takes longest'],
      [],
    ])
  })

  test('is nothing where figures are as good as equal, or not all of them are known', () => {
    expect(marksOf([work(900, 60), work(890, 61)], specs.slice(1))).toEqual([[], []])
    expect(marksOf([work(900, 60, 1), work(400, 300)], specs.slice(1))).toEqual([[], []])
    expect(marksOf([work(900, 60)], specs.slice(1, 2))).toEqual([[]])
  })
})
