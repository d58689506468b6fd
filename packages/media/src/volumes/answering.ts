import { VolumeProblem } from './volume-problem.ts'

/** A disk that sleeps wakes up within this time; a network mount that is gone never answers. */
const patienceMilliseconds = 20_000

/** Roots of volumes that something asked has not answered, with how many questions that are. */
const silent = new Map<string, number>()

/**
 * Asks something of a volume's disk, for a limited time. A mount that is gone holds up for good whoever asks it; while one question stands, no further one
 * is asked, so that it takes away a thread or two and not all.
 * @param root the volume's path, as it is registered
 * @param ask is handed what it calls at each part of a long answer; the time begins anew with it, since a disk that answers in parts is there
 * @throws VolumeProblem when no answer comes
 */
export async function answering<Result>(
  root: string,
  ask: (heard: () => void) => Promise<Result>,
  milliseconds = patienceMilliseconds,
): Promise<Result> {
  const problem = () =>
    new VolumeProblem(
      `The disk or network that ${root} lies on does not answer. See that it is connected, then try again.`,
      'away',
    )
  if (silent.has(root)) throw problem()
  let limit: NodeJS.Timeout | undefined
  let isLate = false
  const answer = ask(() => {
    if (!isLate) limit?.refresh()
  })
  const tooLate = new Promise<never>((_, reject) => {
    limit = setTimeout(() => {
      isLate = true
      silent.set(root, (silent.get(root) ?? 0) + 1)
      const answered = () => {
        const left = silent.get(root)! - 1
        if (left > 0) silent.set(root, left)
        else silent.delete(root)
      }
      answer.then(answered, answered)
      reject(problem())
    }, milliseconds)
  })
  try {
    return await Promise.race([answer, tooLate])
  } finally {
    clearTimeout(limit)
  }
}
