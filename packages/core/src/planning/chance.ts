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

/** Numbers of the normal distribution that are kept to be drawn from. */
const normalsKept = 2 ** 16

/**
 * Numbers of the normal distribution around 0, of which two thirds lie between -1 and 1: drawn from many that were made once (Box and Muller 1958), at a
 * third of what making each would cost.
 */
export function normalsOfChance(random: () => number): () => number {
  const kept = new Float64Array(normalsKept)
  for (let index = 0; index < normalsKept; index += 2) {
    // Never zero, whose logarithm there is not.
    const radius = Math.sqrt(-2 * Math.log(1 - random()))
    const angle = 2 * Math.PI * random()
    kept[index] = radius * Math.cos(angle)
    kept[index + 1] = radius * Math.sin(angle)
  }
  return () => kept[Math.floor(random() * normalsKept)]!
}
