import type { Turns } from '../../turns.ts'
import { bestAt, comesTo, type Choice, type Choosing } from './choosing.ts'

/** Prices that are tried for each limit, beside none, and from how little to how much of the worth of all they make of it. */
const pricesOfEach = 12
const [leastPrice, mostPrice] = [1e-3, 1e3]

/**
 * Choices of which none is better than another in everything: those that are worth most at some price of time and some price of size, whatever the limits are. There
 * can be others between them; these are the corners of the whole (Geoffrion 1968, on the weighted sums of efficient solutions).
 * @param first and second of the limits that are traded against worth
 * @param most of them that are kept, spread over all
 */
export function* tradeOffs(
  { lots, limits }: Choosing,
  [first, second]: readonly [number, number],
  most: number,
): Turns<Choice[]> {
  const spreads = [first, second].map(limit =>
    lots.reduce((sum, options) => {
      const takes = options.map(option => option.takes[limit]!)
      return sum + Math.max(...takes) - Math.min(...takes)
    }, 0),
  )
  const worths = lots.reduce((sum, options) => {
    const worth = options.map(option => option.worth)
    return sum + Math.max(...worth) - Math.min(...worth)
  }, 0)
  const steps = Array.from({ length: pricesOfEach }, (_, index) => {
    const part = index / (pricesOfEach - 1)
    return leastPrice * (mostPrice / leastPrice) ** part
  })
  // Where nothing is to be chosen, a price of nothing does.
  const pricesFor = (place: number) => [
    0,
    ...steps.map(step => (spreads[place]! > 0 ? (step * worths) / spreads[place]! : 0)),
  ]
  const found = new Map<string, Choice>()
  for (const priceOfFirst of pricesFor(0))
    for (const priceOfSecond of pricesFor(1)) {
      yield
      const prices = limits.map((_, limit) => (limit === first ? priceOfFirst : limit === second ? priceOfSecond : 0))
      const choice = comesTo({ lots, limits }, bestAt({ lots }, prices))
      found.set(choice.picks.join(), choice)
    }
  const isWorse = (a: Choice, b: Choice) =>
    a !== b &&
    a.worth <= b.worth &&
    a.takes[first]! >= b.takes[first]! &&
    a.takes[second]! >= b.takes[second]! &&
    (a.worth < b.worth || a.takes[first]! > b.takes[first]! || a.takes[second]! > b.takes[second]!)
  const all = [...found.values()]
  const efficient = all
    .filter(choice => !all.some(other => isWorse(choice, other)))
    .sort((a, b) => a.takes[first]! - b.takes[first]! || a.takes[second]! - b.takes[second]!)
  const every = Math.ceil(efficient.length / most)
  return efficient.filter((_, index) => index % every === 0 || index === efficient.length - 1)
}
