import { describe, expect, test } from 'vitest'
import { choose, tradeOffs, type Choice, type Choosing } from '../src/index.ts'
import { atOnce } from '../../../tests/support/at-once.ts'
import { areWithin, choicesOfChance } from '../../../tests/support/choices.ts'

/** One way of several for each lot, within limits. */
const chosen = (choosing: Choosing) => atOnce(choose(choosing))

/** Every choice that there is. */
function* all({ lots, limits }: Choosing, lot = 0): Generator<Choice> {
  if (lot === lots.length) {
    yield { picks: [], worth: 0, takes: limits.map(() => 0) }
    return
  }
  for (const rest of all({ lots, limits }, lot + 1))
    for (const [pick, { worth, takes }] of lots[lot]!.entries())
      yield {
        picks: [pick, ...rest.picks],
        worth: worth + rest.worth,
        takes: takes.map((taken, limit) => taken + rest.takes[limit]!),
      }
}

describe('a choice', () => {
  test('is worth as much as can be had within the limits', () => {
    // A small and a large way for each of two lots; there is room for one large one.
    const lots = [
      [
        { worth: 30, takes: [1, 1] },
        { worth: 40, takes: [5, 1] },
      ],
      [
        { worth: 30, takes: [1, 1] },
        { worth: 45, takes: [5, 1] },
      ],
    ]
    expect(chosen({ lots, limits: [6, 10] })).toEqual({
      best: { picks: [0, 1], worth: 75, takes: [6, 2] },
      bound: 75,
    })
    expect(chosen({ lots, limits: [10, 10] }).best!.picks).toEqual([1, 1])
    expect(chosen({ lots, limits: [Number.POSITIVE_INFINITY, 2] }).best!.worth).toBe(85)
  })

  test('is none where the least of all ways is too much, and that is certain', () => {
    const lots = [[{ worth: 1, takes: [3] }], [{ worth: 2, takes: [3] }]]
    expect(chosen({ lots, limits: [5] })).toEqual({ best: null, bound: Number.NEGATIVE_INFINITY })
    expect(chosen({ lots, limits: [0] }).best).toBeNull()
  })

  test('of nothing is nothing', () => {
    expect(chosen({ lots: [], limits: [5] })).toEqual({ best: { picks: [], worth: 0, takes: [0] }, bound: 0 })
  })

  test.each(Array.from({ length: 80 }, (_, seed) => seed))('of few lots (%i) is the best of all choices', seed => {
    const choosing = choicesOfChance(seed, { lots: 1 + (seed % 7), ways: 1 + (seed % 4), limits: 1 + (seed % 3) })
    let most: Choice | null = null
    for (const choice of all(choosing))
      if (areWithin(choosing, choice.picks) && (!most || choice.worth > most.worth)) most = choice
    const { best, bound } = chosen(choosing)
    if (!most) expect(best).toBeNull()
    else {
      expect(best!.worth).toBeCloseTo(most.worth, 6)
      expect(bound).toBeCloseTo(most.worth, 6)
      expect(areWithin(choosing, best!.picks)).toBe(true)
    }
  })

  test.each([20, 60])('of %i lots is near what none is worth more than, and is the same again', lots => {
    for (let seed = 0; seed < 3; seed++) {
      const choosing = choicesOfChance(1000 + seed, { lots, ways: 5, limits: 3 })
      const { best, bound } = chosen(choosing)
      expect(areWithin(choosing, best!.picks)).toBe(true)
      expect(best!.worth).toBeLessThanOrEqual(bound * (1 + 1e-9))
      expect(best!.worth).toBeGreaterThan(bound * 0.995)
      expect(chosen(choosing)).toEqual({ best, bound })
    }
  })
})

describe('the trade-off', () => {
  test('has no choice that another is better than in everything, and both ends', () => {
    for (let seed = 0; seed < 20; seed++) {
      const choosing = choicesOfChance(seed, { lots: 6, ways: 3, limits: 2 })
      const points = atOnce(tradeOffs(choosing, [0, 1], 1000))
      const every = [...all(choosing)]
      for (const { worth, takes } of points)
        expect(
          every.some(
            other =>
              other.worth > worth + 1e-9 && other.takes[0]! < takes[0]! - 1e-9 && other.takes[1]! < takes[1]! - 1e-9,
          ),
        ).toBe(false)
      const most = Math.max(...every.map(({ worth }) => worth))
      expect(Math.max(...points.map(({ worth }) => worth))).toBeCloseTo(most, 9)
      for (const limit of [0, 1]) {
        const least = Math.min(...every.map(({ takes }) => takes[limit]!))
        expect(Math.min(...points.map(({ takes }) => takes[limit]!))).toBeCloseTo(least, 6)
      }
    }
  })

  test('is one point where nothing is to be chosen, and no more than are wanted', () => {
    const only = { lots: [[{ worth: 1, takes: [1, 1] }]], limits: [9, 9] }
    expect(atOnce(tradeOffs(only, [0, 1], 10))).toHaveLength(1)
    const many = choicesOfChance(5, { lots: 40, ways: 4, limits: 2 })
    expect(atOnce(tradeOffs(many, [0, 1], 10)).length).toBeLessThanOrEqual(11)
  })
})
