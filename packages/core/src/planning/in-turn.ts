import { noJob, type NeedBits, type SharedLanes } from './shared-lanes.ts'

/** A job in a sequence. */
export interface InSequence {
  job: number
  /** When it is here, in seconds by the clock. */
  hereFrom: number
  pieces: number
  need: NeedBits
}

/**
 * Lanes take the jobs of a sequence in turn, each the first one that is here then. Where none is, they rest until one comes. Where lanes take unlike work, each
 * takes the first one of its; who comes first is then known only when the sequence is.
 * @see SharedLanes which tells when lanes are free
 */
export class InTurn {
  /** Jobs that lanes came to before they were here, by when they are. */
  private readonly awaited = new Soonest()
  /** Those of them that came since, by their places in the sequence. */
  private readonly come = new Soonest()
  private readonly places: number[] = []
  private place = 0
  /** Of lanes that take unlike work: jobs that are here, by what they need, in their sequence. */
  private readonly pending = new Map<NeedBits, Soonest>()
  private pendingCount = 0
  private readonly piecesLeft: number[] = []
  private readonly needs: NeedBits[] = []
  readonly isMixed: boolean

  /**
   * @param begin begins so many pieces of a job on the lanes that are free next
   * @param ended is told of a job whose last piece so far ends on a lane
   * @param bits what each lane takes; every lane everything unless said
   */
  constructor(
    private readonly lanes: SharedLanes,
    private readonly begin: (job: number, pieces: number) => void,
    private readonly ended: (job: number) => void,
    private readonly bits: readonly NeedBits[] = [],
  ) {
    this.isMixed = bits.some(other => other !== bits[0])
  }

  /** The sequence's next job. */
  take({ job, hereFrom, pieces, need }: InSequence): void {
    const place = this.place++
    this.piecesLeft[job] = pieces
    if (this.isMixed) {
      this.needs[job] = need
      this.places[job] = place
      if (hereFrom > this.lanes.clock) this.awaited.add(job, hereFrom)
      else this.isHere(job)
      return
    }
    if (hereFrom <= 0 && this.awaited.count === 0 && this.come.count === 0) {
      this.begin(job, pieces)
      return
    }
    this.goOn()
    while (this.come.count > 0) {
      this.beginWhole(this.come.take())
      this.goOn()
    }
    if (hereFrom <= this.lanes.clock) {
      this.begin(job, pieces)
      return
    }
    this.places[job] = place
    this.awaited.add(job, hereFrom)
  }

  private beginWhole(job: number): void {
    this.begin(job, this.piecesLeft[job]!)
  }

  /** Begins what was not here yet, each job when it is; and where lanes take unlike work, all that was taken. */
  finish(): void {
    if (this.isMixed) return this.finishMixed()
    while (this.awaited.count + this.come.count > 0) {
      this.goOn()
      if (this.come.count > 0) this.beginWhole(this.come.take())
      else {
        this.lanes.rest()
        this.lanes.wake(this.awaited.first)
      }
    }
  }

  private isHere(job: number): void {
    const need = this.needs[job]!
    let jobs = this.pending.get(need)
    if (!jobs) this.pending.set(need, (jobs = new Soonest()))
    jobs.add(job, this.places[job]!)
    this.pendingCount++
  }

  /** The jobs of which the lane that is free takes the first one; undefined where it takes none of those that are here. */
  private nextFor(bits: NeedBits): Soonest | undefined {
    let next: Soonest | undefined
    for (const [need, jobs] of this.pending)
      if ((bits & need) !== 0 && jobs.count > 0 && (!next || jobs.first < next.first)) next = jobs
    return next
  }

  private finishMixed(): void {
    const { lanes, awaited } = this
    while (awaited.count + this.pendingCount > 0) {
      // Lanes that rest are there for what comes before any other is free.
      if (awaited.count > 0) lanes.wake(awaited.first)
      else if (lanes.isOver) break
      this.goOn()
      while (this.come.count > 0) this.isHere(this.come.take())
      const next = this.nextFor(this.bits[lanes.lane]!)
      if (next) {
        const job = next.top
        if (--this.piecesLeft[job]! === 0) {
          next.take()
          this.pendingCount--
        }
        this.begin(job, 1)
      } else lanes.rest()
    }
    lanes.wakeAll()
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

  /** The job of the least number; there must be one. */
  get top(): number {
    return this.jobs[0]!
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
