/** A stretch of time, in seconds of any clock, in which work would have kept so many cores busy. */
export interface BusyStretch {
  from: number
  to: number
  cores: number
}

/**
 * How many times as long as on a machine of its own work took, because it and what ran beside it wanted more cores together than there are: at every moment all
 * of them are slower by what they want over what there is, as plans take it (see `SharedLanes`).
 * @param own when it ran
 * @param others when what ran beside it did
 */
export function slowingOf(own: BusyStretch, others: readonly BusyStretch[], cores: number): number {
  const beside = others.filter(({ from, to }) => from < own.to && to > own.from)
  const moments = [
    own.from,
    own.to,
    ...beside.flatMap(({ from, to }) => [Math.max(own.from, from), Math.min(own.to, to)]),
  ]
  moments.sort((a, b) => a - b)
  let undisturbed = 0
  for (let index = 1; index < moments.length; index++) {
    const [from, to] = [moments[index - 1]!, moments[index]!]
    if (to <= from) continue
    const wanted = beside.reduce(
      (sum, stretch) => (stretch.from <= from && stretch.to >= to ? sum + stretch.cores : sum),
      own.cores,
    )
    undisturbed += (to - from) / Math.max(1, wanted / cores)
  }
  // Sums of many times differ in their last digits.
  return undisturbed > 0 ? Math.max(1, (own.to - own.from) / undisturbed) : 1
}
