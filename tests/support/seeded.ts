/** Numbers between 0 and 1, the same in every run (a linear congruential generator). */
export function seeded(seed: number): () => number {
  let state = seed
  return () => {
    state = (Math.imul(state, 1664525) + 1013904223) >>> 0
    return state / 4294967296
  }
}
