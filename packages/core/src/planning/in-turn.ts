import { noJob, type SharedLanes } from './shared-lanes.ts'

/**
 * Lanes take the jobs of a sequence in turn, each the first one that is here then. Where none is, they rest until one comes.
 * @see SharedLanes which tells when lanes are free
 */
export class InTurn {
  /** Jobs that lanes came to before they were here, by when they are. */
  private readonly awaited = new Soonest()
  /** Those of them that came since, by their places in the sequence. */
  private readonly come = new Soonest()
  private readonly places: number[] = []
  private place = 0

  /**
   * @param begin begins a job's pieces on the lanes that are free next
   * @param ended is told of a job whose last piece so far ends on a lane
   */
  constructor(
    private readonly lanes: SharedLanes,
    private readonly begin: (job: number) => void,
    private readonly ended: (job: number) => void,
  ) {}

  /** The sequence's next job. @param hereFrom when it is here, in seconds by the clock */
  take(job: number, hereFrom: number): void {
    const place = this.place++
    if (hereFrom <= 0 && this.awaited.count === 0 && this.come.count === 0) {
      this.begin(job)
      return
    }
    this.goOn()
    while (this.come.count > 0) {
      this.begin(this.come.take())
      this.goOn()
    }
    if (hereFrom <= this.lanes.clock) {
      this.begin(job)
      return
    }
    this.places[job] = place
    this.awaited.add(job, hereFrom)
  }

  /** Begins what was not here yet, each job when it is. */
  finish(): void {
    while (this.awaited.count + this.come.count > 0) {
      this.goOn()
      if (this.come.count > 0) this.begin(this.come.take())
      else {
        this.lanes.rest()
        this.lanes.wake(this.awaited.first)
      }
    }
  }

  private goOn(): void {
    const ended = this.lanes.goOn()
    if (ended !== noJob) this.ended(ended)
    while (this.awaited.count > 0 && this.awaited.first <= this.lanes.clock) {
      const job = this.awaited.take()
      this.come.add(job, this.places[job]!)
    }
  }
}

/** Jobs by a number of each, the least one first: a binary heap. */
class Soonest {
  private readonly jobs: number[] = []
  private readonly numbers: number[] = []
  count = 0

  /** The least number; there must be one. */
  get first(): number {
    return this.numbers[0]!
  }

  add(job: number, number: number): void {
    const { jobs, numbers } = this
    let at = this.count++
    while (at > 0) {
      const above = (at - 1) >> 1
      if (numbers[above]! <= number) break
      jobs[at] = jobs[above]!
      numbers[at] = numbers[above]!
      at = above
    }
    jobs[at] = job
    numbers[at] = number
  }

  /** Takes the first one out; there must be one. */
  take(): number {
    const { jobs, numbers } = this
    const first = jobs[0]!
    const count = --this.count
    const [job, number] = [jobs[count]!, numbers[count]!]
    let at = 0
    for (let next = 1; next < count; next = 2 * at + 1) {
      if (next + 1 < count && numbers[next + 1]! < numbers[next]!) next++
      if (numbers[next]! >= number) break
      jobs[at] = jobs[next]!
      numbers[at] = numbers[next]!
      at = next
    }
    jobs[at] = job
    numbers[at] = number
    return first
  }
}
