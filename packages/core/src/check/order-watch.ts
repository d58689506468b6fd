/** How far a frame may have strayed to be looked for. */
const reach = 3
/** So much nearer to each other's frames than to their own are two that changed places. */
const nearer = 2
/**
 * Codes by which a small picture, or one of its parts, is off where its frame is no coarse one but another: of some hundred results at the best and at absurd
 * qualities none was off by much more than half as much.
 */
const anotherPicture = { whole: 20, part: 40 }
/** Parts of a small picture, across and down. */
const partsAcross = 8
/** Differences below this, in codes, are no motion. */
const leastMotion = 0.1

function isAnother(made: Uint8Array, treated: Uint8Array): boolean {
  return distance(made, treated) > anotherPicture.whole || mostOff(made, treated) > anotherPicture.part
}

/** Mean absolute difference of two pictures of one size, in codes. */
function distance(a: Uint8Array, b: Uint8Array): number {
  let sum = 0
  for (let index = 0; index < a.length; index++) sum += Math.abs(a[index]! - b[index]!)
  return sum / a.length
}

/** The most that any of a square picture's parts is off, in codes on average. */
function mostOff(a: Uint8Array, b: Uint8Array): number {
  const side = Math.round(Math.sqrt(a.length))
  const each = side / partsAcross
  const off = new Float64Array(partsAcross ** 2)
  for (let index = 0; index < a.length; index++) {
    const [x, y] = [index % side, Math.floor(index / side)]
    off[Math.floor(y / each) * partsAcross + Math.floor(x / each)]! += a[index]! - b[index]!
  }
  return off.reduce((most, sum) => Math.max(most, Math.abs(sum)), 0) / each ** 2
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

  /** Frames that show something else than what they were made of, wholly or in part, in order. */
  readonly strange: number[] = []

  /** Notes a frame that is about to be encoded. */
  expect(number: number, picture: Uint8Array | null): void {
    if (picture) this.treated.set(number, picture)
  }

  /** Notes the frame that came out as the `number`th. */
  see(number: number, picture: Uint8Array | null): void {
    if (picture) this.made.set(number, picture)
    if (picture && this.isStrange(picture, number)) this.strange.push(number)
    for (let before = number - reach; before < number; before++)
      if (this.areSwapped(before, number)) this.misplace(before, number)
    this.made.delete(number - reach)
    this.treated.delete(number - reach)
  }

  /** Whether a frame is neither like its own picture nor like one just before, as it may be where bits are short. */
  private isStrange(made: Uint8Array, number: number): boolean {
    for (let before = number; before >= number - reach; before--) {
      const treated = this.treated.get(before)
      if (treated && !isAnother(made, treated)) return false
    }
    return this.treated.has(number)
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
