import type { Turns } from '../../turns.ts'

/** One way of several: what it is worth, and what it takes of each limit, none of it below nothing. */
export interface Option {
  worth: number
  takes: readonly number[]
}

/** Of each lot one way is to be chosen. */
export interface Choosing {
  /** Ways by lot; one at least. */
  lots: readonly (readonly Option[])[]
  /** What all together may take; infinite where there is no limit. */
  limits: readonly number[]
}

/** A way for each lot, by its place, and what they come to together. */
export interface Choice {
  picks: number[]
  worth: number
  takes: number[]
}

/** The choice that was found, and what no choice within the limits is worth more than. */
export interface Chosen {
  /** Null where none was found within the limits. */
  best: Choice | null
  /** Below every number where there is none within the limits for certain. */
  bound: number
}

/** Rounds in which prices are moved, and nodes of the search that are visited at most: half a second's work. */
const priceRounds = 150
const usualNodes = 300_000
/** A choice is mended in every so many rounds at least. */
const mendedRounds = 10
/** Nodes that are gone through before others may have their turn. */
const nodesOfTurn = 2000
/** Lots of which every two are tried together. */
const mostExchanged = 100
/** Limits are kept and bounds met to so small a part. */
const tolerance = 1e-9

/** What a choice comes to. */
export function comesTo({ lots, limits }: Choosing, picks: readonly number[]): Choice {
  const takes = new Array<number>(limits.length).fill(0)
  let worth = 0
  for (const [lot, pick] of picks.entries()) {
    const option = lots[lot]![pick]!
    worth += option.worth
    for (const [limit, takesOf] of option.takes.entries()) takes[limit]! += takesOf
  }
  return { picks: [...picks], worth, takes }
}

/** Whether a choice keeps all limits. */
export function keepsLimits({ limits }: Choosing, { takes }: Pick<Choice, 'takes'>): boolean {
  return takes.every((taken, limit) => taken <= limits[limit]! * (1 + tolerance) + tolerance)
}

/** The ways that are worth most at given prices of what they take, lot by lot. @param prices of a unit of each limit */
export function bestAt({ lots }: Pick<Choosing, 'lots'>, prices: readonly number[]): number[] {
  return lots.map(options => {
    let [best, most] = [0, Number.NEGATIVE_INFINITY]
    for (const [index, { worth, takes }] of options.entries()) {
      const left = takes.reduce((sum, taken, limit) => sum - prices[limit]! * taken, worth)
      if (left > most) [best, most] = [index, left]
    }
    return best
  })
}

/**
 * Looks for the ways that are worth most within the limits: a knapsack with several limits and a choice in each class.
 *
 * Limits get prices, which are moved until what is worth most at them takes about what there is (Lagrangian relaxation with subgradient steps, Held and others
 * 1974); each round's choice is mended to keep the limits. With the last prices, no choice is worth more than their bound, which also cuts the search through all
 * choices that follows (branch and bound). Where that ends, the choice is the best there is, and the bound says so. The same for the same ways.
 * @param mostNodes of the search through all choices
 */
export function* choose(given: Choosing, mostNodes = usualNodes): Turns<Chosen> {
  const search = new Search(inParts(given), mostNodes)
  yield* search.movePrices()
  yield* search.goThrough()
  const { best, bound } = search
  return { best: best && comesTo(given, best.picks), bound }
}

/** What is taken as parts of its limit, without what has no limit. */
function inParts({ lots, limits }: Choosing): Choosing {
  const kept = [...limits.keys()].filter(limit => Number.isFinite(limits[limit]!))
  const scale = kept.map(limit => (limits[limit]! > 0 ? limits[limit]! : 1))
  return {
    lots: lots.map(options =>
      options.map(({ worth, takes }) => ({ worth, takes: kept.map((limit, place) => takes[limit]! / scale[place]!) })),
    ),
    limits: kept.map((limit, place) => Math.max(0, limits[limit]!) / scale[place]!),
  }
}

class Search {
  best: Choice | null = null
  bound = Number.POSITIVE_INFINITY
  private prices: number[]

  constructor(
    private readonly choosing: Choosing,
    private readonly mostNodes: number,
  ) {
    this.prices = choosing.limits.map(() => 0)
  }

  /** Moves prices so that the bound falls, and keeps the best of the choices on the way. */
  *movePrices(): Turns<void> {
    const { choosing } = this
    const { lots } = choosing
    let prices = choosing.limits.map(() => 0)
    let reach = 1
    for (let round = 0; round < priceRounds; round++) {
      yield
      const found = comesTo(choosing, bestAt(choosing, prices))
      const spare = choosing.limits.map((limit, index) => limit - found.takes[index]!)
      const bound = prices.reduce((sum, price, index) => sum + price * spare[index]!, found.worth)
      const isNearer = bound < this.bound
      if (isNearer) [this.bound, this.prices] = [bound, prices]
      else reach *= 0.95
      // Mending costs much more than looking.
      if (isNearer || round % mendedRounds === 0) this.consider(this.mended(found.picks))
      const length = spare.reduce((sum, part) => sum + part * part, 0)
      const aim = this.best ? this.best.worth : bound - Math.abs(bound) * 0.1 - 1
      if (length === 0 || bound - aim <= tolerance * Math.max(1, Math.abs(bound))) break
      const step = (reach * (bound - aim)) / length
      prices = prices.map((price, index) => Math.max(0, price - step * spare[index]!))
    }
    if (this.best && lots.length <= mostExchanged) this.consider(this.exchanged(this.best.picks))
  }

  /** Goes through all choices but those that cannot be better, for as long as there is time. */
  *goThrough(): Turns<void> {
    const { lots, limits } = this.choosing
    const { prices } = this
    if (lots.length === 0) {
      this.consider([])
      this.bound = 0
      return
    }
    const left = ({ worth, takes }: Option) => takes.reduce((sum, taken, limit) => sum - prices[limit]! * taken, worth)
    // Lots between whose ways there is much to choose come first.
    const spread = (options: readonly Option[]) => Math.max(...options.map(left)) - Math.min(...options.map(left))
    const order = [...lots.keys()].sort((a, b) => spread(lots[b]!) - spread(lots[a]!) || a - b)
    const ways = order.map(lot =>
      lots[lot]!.map((option, pick) => ({ pick, option, left: left(option) })).sort((a, b) => b.left - a.left),
    )
    const after = new Array<{ left: number; least: number[] }>(order.length + 1)
    after[order.length] = { left: 0, least: limits.map(() => 0) }
    for (let at = order.length - 1; at >= 0; at--)
      after[at] = {
        left: after[at + 1]!.left + ways[at]![0]!.left,
        least: limits.map(
          (_, limit) => after[at + 1]!.least[limit]! + Math.min(...ways[at]!.map(({ option }) => option.takes[limit]!)),
        ),
      }
    const priced = prices.reduce((sum, price, limit) => sum + price * limits[limit]!, 0)
    const size = limits.length
    // By depth: the way that is looked at next, what was picked before, and the room that it leaves.
    const next = new Int32Array(order.length + 1)
    const worthLeft = new Float64Array(order.length + 1)
    const room = new Float64Array((order.length + 1) * size)
    for (let limit = 0; limit < size; limit++) room[limit] = limits[limit]!
    const picks = new Array<number>(lots.length).fill(0)
    let at = 0
    for (let nodes = 0; nodes < this.mostNodes; nodes++) {
      if (nodes % nodesOfTurn === nodesOfTurn - 1) yield
      if (at === order.length) {
        this.consider(picks)
        at--
        continue
      }
      const way = ways[at]![next[at]!++]
      // Ways are sorted, so that those after one that has too little to offer have no more.
      const most = way ? worthLeft[at]! + way.left + after[at + 1]!.left + priced : Number.NEGATIVE_INFINITY
      const isHopeless = this.best && most <= this.best.worth + tolerance * Math.max(1, Math.abs(this.best.worth))
      if (!way || isHopeless) {
        next[at] = 0
        if (at-- > 0) continue
        this.bound = this.best ? this.best.worth : Number.NEGATIVE_INFINITY
        return
      }
      let isRoom = true
      const { takes } = way.option
      const { least } = after[at + 1]!
      for (let limit = 0; limit < size; limit++) {
        const left = room[at * size + limit]! - takes[limit]!
        room[(at + 1) * size + limit] = left
        if (left < least[limit]! - tolerance) isRoom = false
      }
      if (!isRoom) continue
      picks[order[at]!] = way.pick
      worthLeft[at + 1] = worthLeft[at]! + way.left
      at++
    }
  }

  private consider(picks: readonly number[] | null): void {
    if (!picks) return
    const choice = comesTo(this.choosing, picks)
    if (keepsLimits(this.choosing, choice) && (!this.best || choice.worth > this.best.worth)) this.best = choice
  }

  /** A choice changed way by way until it keeps the limits, each time where that costs least, and then bettered for as long as there is room. */
  private mended(picks: readonly number[]): number[] | null {
    const { lots, limits } = this.choosing
    const mine = [...picks]
    const { takes } = comesTo(this.choosing, mine)
    const by = (lot: number, pick: number, limit: number) =>
      lots[lot]![pick]!.takes[limit]! - lots[lot]![mine[lot]!]!.takes[limit]!
    /** By how much limits are not kept with one lot's way changed. */
    const over = (lot: number, pick: number) => {
      let sum = 0
      for (let limit = 0; limit < limits.length; limit++)
        sum += Math.max(0, takes[limit]! + by(lot, pick, limit) - limits[limit]!)
      return sum
    }
    const apply = (lot: number, pick: number) => {
      for (let limit = 0; limit < limits.length; limit++) takes[limit]! += by(lot, pick, limit)
      mine[lot] = pick
    }
    const pairs = lots.flatMap((options, lot) => options.map((_, pick) => [lot, pick] as const))
    const bestOf = (value: (lot: number, pick: number) => number) => {
      let [found, most]: [readonly [number, number] | null, number] = [null, 0]
      for (const pair of pairs) {
        const now = pair[1] === mine[pair[0]] ? 0 : value(...pair)
        if (now > most) [found, most] = [pair, now]
      }
      return found
    }
    const now = () => (lots.length > 0 ? over(0, mine[0]!) : 0)
    for (let excess = now(); excess > tolerance; excess = now()) {
      const move = bestOf((lot, pick) => {
        const gain = excess - over(lot, pick)
        if (gain <= tolerance) return 0
        const loss = lots[lot]![mine[lot]!]!.worth - lots[lot]![pick]!.worth
        return loss <= 0 ? Number.MAX_VALUE : gain / loss
      })
      if (!move) return null
      apply(...move)
    }
    for (;;) {
      const move = bestOf((lot, pick) =>
        over(lot, pick) <= tolerance ? lots[lot]![pick]!.worth - lots[lot]![mine[lot]!]!.worth : 0,
      )
      if (!move) return mine
      apply(...move)
    }
  }

  /** A choice in which two lots at a time take other ways, for as long as that is worth more. */
  private exchanged(picks: readonly number[]): number[] {
    const { lots, limits } = this.choosing
    const mine = [...picks]
    const { takes } = comesTo(this.choosing, mine)
    const pairs = lots.flatMap((options, lot) => options.map((_, pick) => [lot, pick] as const))
    const by = (lot: number, pick: number, limit: number) =>
      lots[lot]![pick]!.takes[limit]! - lots[lot]![mine[lot]!]!.takes[limit]!
    const gain = (lot: number, pick: number) => lots[lot]![pick]!.worth - lots[lot]![mine[lot]!]!.worth
    /** Whether two ways together keep the limits. */
    const isRoomFor = (first: number, pick: number, second: number, other: number) => {
      for (let limit = 0; limit < limits.length; limit++)
        if (takes[limit]! + by(first, pick, limit) + by(second, other, limit) > limits[limit]! + tolerance) return false
      return true
    }
    /** @returns whether any exchange was found and made */
    const exchange = () => {
      let helped = false
      for (const [first, pick] of pairs)
        for (const [second, other] of pairs) {
          if (second <= first || gain(first, pick) + gain(second, other) <= tolerance) continue
          if (!isRoomFor(first, pick, second, other)) continue
          for (let limit = 0; limit < limits.length; limit++)
            takes[limit]! += by(first, pick, limit) + by(second, other, limit)
          mine[first] = pick
          mine[second] = other
          helped = true
        }
      return helped
    }
    while (exchange());
    return mine
  }
}
