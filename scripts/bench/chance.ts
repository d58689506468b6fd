/** Numbers from 0 to 1, the same for the same seed (Park and Miller's generator). */
export function numbersFrom(seed: number): () => number {
  let state = seed % 2147483647 || 1
  return () => (state = (state * 48271) % 2147483647) / 2147483647
}
