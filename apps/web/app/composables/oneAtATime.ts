/**
 * Work that is asked for again while it is under way is done once more when it is over, however often it was asked for: each look is finished before the next
 * is begun, also where changes come faster than answers.
 * @param work never fails
 */
export function oneAtATime(work: () => Promise<void>): () => Promise<void> {
  let underWay: Promise<void> | null = null
  let isWantedAgain = false
  async function untilNobodyAsks(): Promise<void> {
    do {
      isWantedAgain = false
      await work()
    } while (isWantedAgain)
    underWay = null
  }
  return () => {
    if (underWay) isWantedAgain = true
    return (underWay ??= untilNobodyAsks())
  }
}
