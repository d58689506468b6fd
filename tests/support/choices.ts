import type { Choosing } from '../../packages/core/src/index.ts'
import { seeded } from './seeded.ts'

/** Whether picks keep limits: added up anew, so that nothing is taken over from what found them. */
export function areWithin({ lots, limits }: Choosing, picks: readonly number[]): boolean {
  const sum = (limit: number) => lots.reduce((all, options, lot) => all + options[picks[lot]!]!.takes[limit]!, 0)
  return picks.length === lots.length && limits.every((most, limit) => sum(limit) <= most * (1 + 1e-8) + 1e-8)
}

/** Ways of chance: what takes more is worth more, mostly; limits between the least and the most that all can take. */
export function choicesOfChance(
  seed: number,
  { lots, ways, limits }: { lots: number; ways: number; limits: number },
): Choosing {
  const random = seeded(seed * 7 + 3)
  const given = Array.from({ length: lots }, () => {
    const size = 1 + 50 * random() ** 2
    return Array.from({ length: ways }, () => {
      const effort = random()
      return {
        worth: size * (30 + 12 * effort + 4 * random()),
        takes: Array.from({ length: limits }, () => size * (0.2 + effort * random() * 2 + 0.3 * random())),
      }
    })
  })
  return {
    lots: given,
    limits: Array.from({ length: limits }, (_, limit) => {
      const of = (pick: (...values: number[]) => number) =>
        given.reduce((sum, options) => sum + pick(...options.map(({ takes }) => takes[limit]!)), 0)
      const [least, most] = [of(Math.min), of(Math.max)]
      return least + (most - least) * (0.1 + 0.6 * random())
    }),
  }
}
