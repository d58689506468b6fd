/** How far a frame may have strayed to be looked for. */
const reach = 3
/** So much nearer to each other's frames than to their own are two that changed places. */
const nearer = 2
/** Differences below this, in codes, are no motion. */
const leastMotion = 0.1

/** Mean absolute difference of two pictures of one size, in codes. */
function distance(a: Uint8Array, b: Uint8Array): number {
  let sum = 0
  for (let index = 0; index < a.length; index++) sum += Math.abs(a[index]! - b[index]!)
  return sum / a.length
}

/**
 * Watches whether frames of a result stand in the order of those that they were made of, by small pictures of both. Two frames changed places when each is much
 * nearer to what the other was made of than to its own; frames that stand still, flicker or were coded coarsely never are both.
 */
export class OrderWatch {
  private readonly treated = new Map<number, Uint8Array>()
  private readonly made = new Map<number, Uint8Array>()
  /** Frames of the result that stand in another's place, in order. */
  readonly misplaced: number[] = []

  /** Notes a frame that is about to be encoded. */
  expect(number: number, picture: Uint8Array | null): void {
    if (picture) this.treated.set(number, picture)
  }

  /** Notes the frame that came out as the `number`th. */
  see(number: number, picture: Uint8Array | null): void {
    if (picture) this.made.set(number, picture)
    for (let before = number - reach; before < number; before++)
      if (this.areSwapped(before, number)) this.misplace(before, number)
    this.made.delete(number - reach)
    this.treated.delete(number - reach)
  }

  private misplace(...numbers: number[]): void {
    for (const number of numbers) if (!this.misplaced.includes(number)) this.misplaced.push(number)
  }

  private areSwapped(first: number, second: number): boolean {
    const [madeFirst, madeSecond] = [this.made.get(first), this.made.get(second)]
    const [wasFirst, wasSecond] = [this.treated.get(first), this.treated.get(second)]
    if (!madeFirst || !madeSecond || !wasFirst || !wasSecond) return false
    const isNearer = (made: Uint8Array, other: Uint8Array, own: Uint8Array) => {
      const away = distance(made, own)
      return away > leastMotion && distance(made, other) * nearer < away
    }
    return isNearer(madeFirst, wasSecond, wasFirst) && isNearer(madeSecond, wasFirst, wasSecond)
  }
}
