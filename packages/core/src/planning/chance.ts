/**
 * Numbers between 0 and 1 that are the same each time (Marsaglia 2003, xorshift of 32 bits).
 * @param seed not zero
 */
export function numbersOfChance(seed = 2_463_534_242): () => number {
  let state = seed | 0
  return () => {
    state ^= state << 13
    state ^= state >>> 17
    state ^= state << 5
    return (state >>> 0) / 2 ** 32
  }
}

/** Numbers of the normal distribution around 0, of which two thirds lie between -1 and 1 (Box and Muller 1958). */
export function normalsOfChance(random: () => number): () => number {
  let spare: number | null = null
  return () => {
    if (spare !== null) {
      const value = spare
      spare = null
      return value
    }
    // Never zero, whose logarithm there is not.
    const radius = Math.sqrt(-2 * Math.log(1 - random()))
    const angle = 2 * Math.PI * random()
    spare = radius * Math.sin(angle)
    return radius * Math.cos(angle)
  }
}
