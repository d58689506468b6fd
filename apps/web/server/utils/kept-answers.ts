/** Answers kept at once; beyond it the one worked out longest ago is dropped. */
const mostKept = 24
/** An answer stands for so many times as long as it took to work out, whatever changes. */
const timesAsLong = 20

interface Kept<Answer> {
  version: number
  since: number
  /** That it took; without end while it is being worked out, so that nobody begins it a second time. */
  milliseconds: number
  answer: Promise<Answer>
}

/** Answers that take long to work out: looked for as seldom as it takes long. */
export class KeptAnswers<Answer> {
  private readonly kept = new Map<string, Kept<Answer>>()

  /** @param quietMilliseconds for how long an answer stands at least where nothing changes but how far running jobs are */
  constructor(private readonly quietMilliseconds: number) {}

  /**
   * The answer to a question, worked out anew where it is too old. One that failed is not kept.
   * @param version of what it is worked out from: goes up as that changes
   */
  async get(question: string, version: number, workOut: () => Promise<Answer>): Promise<Answer> {
    const found = this.kept.get(question)
    if (found) {
      const quiet = found.version === version ? this.quietMilliseconds : 0
      if (Date.now() - found.since < Math.max(quiet, found.milliseconds * timesAsLong)) return found.answer
    }
    const entry = { version, since: Date.now(), milliseconds: Number.POSITIVE_INFINITY, answer: workOut() }
    this.kept.delete(question)
    this.kept.set(question, entry)
    if (this.kept.size > mostKept) this.kept.delete(this.kept.keys().next().value!)
    try {
      return await entry.answer
    } catch (error) {
      if (this.kept.get(question) === entry) this.kept.delete(question)
      throw error
    } finally {
      entry.milliseconds = Date.now() - entry.since
    }
  }

  /** The next one who asks gets a new answer. */
  forget(): void {
    this.kept.clear()
  }
}
