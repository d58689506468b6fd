import {
  Agenda,
  asTest,
  chooseJobs,
  isInHand,
  forecastOf,
  outlook,
  releasedWork,
  renderOrTreat,
  sortJobs,
  suggestOrder,
  type JobChoice,
  type JobOutline,
  type JobSort,
  type Calibrations,
  type Disk,
  type LikeRate,
  type MeasuredTest,
  type Machine,
  type OrderRecord,
  type OrderSuggestion,
  type Outlook,
  type OutlookGround,
  type RenderAnswer,
  type RenderQuestion,
  type Ways,
  type WaysAsked,
  type WaysGround,
  type WhatIf,
  waysOf,
} from '@hematine/core'
import {
  announcedGround,
  calibrationsOf,
  jobsOfRows,
  likeKeysOf,
  likeRatesOf,
  listCourses,
  listOutlines,
  machineOf,
  repeatsOf,
  type Change,
  type EntityManager,
} from '@hematine/database'
import { inTurns } from './in-turns'
import { KeptAnswers } from './kept-answers'

/** How old a plan may be while nothing but the progress of running jobs changed. */
const progressMilliseconds = 1000
/** Outlines that are read together; beyond so many changes, all are read anew. */
const mostChanges = 2000

interface Made {
  agenda: Agenda
  /** All jobs of the order. */
  own: readonly JobOutline[]
  at: Date
  version: number
  progressed: number
}

/**
 * The plans of orders, kept in memory: outlines of jobs are read once and then only where something changed, so that asking costs the same
 * however large the batch. Every answer about an order's work comes from one plan.
 */
export class Agendas {
  private readonly jobs = new Map<number, JobOutline>()
  private readonly orders = new Set<number>()
  private rates = new Map<string, LikeRate>()
  private calibrations: Calibrations = new Map()
  private machine: Machine = { lanes: 1, cores: null }
  private readonly made = new Map<number, Made>()
  private readonly suggestions = new KeptAnswers<OrderSuggestion>(60_000)
  private readonly chosenWays = new KeptAnswers<Ways>(5000)
  private readonly outlooks = new KeptAnswers<Outlook>(5000)
  /** Goes up with each change that moves the plan. */
  private version = 0
  private isStale = true
  private isMachineStale = true
  private areCalibrationsStale = true
  /** Goes up with each change of how far a job is. */
  private progressed = 0
  private readonly changed = { job: new Set<number>(), source: new Set<number>(), sample: new Set<number>() }
  private updating: Promise<void> = Promise.resolve()

  /**
   * @param catchUp returns when what was written before has been announced
   * @param disks which delivery volumes share their room
   */
  constructor(
    private readonly em: () => EntityManager,
    private readonly catchUp: () => Promise<void>,
    private readonly disks: () => Promise<readonly Disk[]> = async () => [],
  ) {}

  /** Notes what the database says has changed. */
  noteChange({ table, id, isProgress }: Change): void {
    if (table === 'worker' || table === 'working_hours') this.isMachineStale = true
    if (table === 'calibration') {
      this.areCalibrationsStale = true
      this.version++
    }
    if (table === 'planned_source') this.version++
    if (table !== 'job' && table !== 'source' && table !== 'sample') return
    this.changed[table].add(Number(id))
    if (!isProgress) this.version++
    else this.progressed++
  }

  /** Everything is read anew: after a gap in what was heard. */
  forget(): void {
    this.isStale = true
    this.isMachineStale = true
    this.areCalibrationsStale = true
    this.version++
  }

  /** An order's plan and its jobs. */
  async of(orderId: number): Promise<Made> {
    await this.inTurn(() => this.bringUpToDate(orderId))
    return this.made.get(orderId)!
  }

  /** Jobs of an order that a choice lets through, in a list's order. */
  async list(
    orderId: number,
    choice: JobChoice,
    sort: JobSort,
    descending = false,
  ): Promise<{ made: Made; jobs: JobOutline[] }> {
    const made = await this.of(orderId)
    return { made, jobs: sortJobs(chooseJobs(made.own, choice), sort, descending, made.agenda) }
  }

  /** Whether all orders are done by their due times, and an order of the waiting jobs in which less is late. */
  async suggestion(orderId: number, orders: readonly OrderRecord[]): Promise<OrderSuggestion> {
    const { agenda, at, version } = await this.of(orderId)
    return this.suggestions.get(keyOf(orders), version, () =>
      inTurns(suggestOrder([...this.jobs.values()], agenda.forecasts, this.machine, orders, at)),
    )
  }

  /** What comes of all orders' jobs. @param volumes to which results are written, with their room */
  async outlook(orders: readonly OrderRecord[], volumes: OutlookGround['volumes'], whatIf: WhatIf): Promise<Outlook> {
    let version = 0
    await this.inTurn(async () => {
      const em = this.em()
      await this.hear(em)
      // What is announced while it is read makes the outlook stale again.
      version = this.version
      await this.read(em, null)
    })
    const { machine, rates, calibrations } = this
    const jobs = [...this.jobs.values()]
    return this.outlooks.get(keyOf(orders) + JSON.stringify(whatIf), version, async () => {
      const repeats = await repeatsOf(this.em())
      const announced = await announcedGround(this.em())
      const ground = { jobs, forecasts: { rates, calibrations }, machine, orders, volumes, repeats, announced }
      return inTurns(outlook(ground, whatIf, new Date()))
    })
  }

  /** The ways of an order's lots, and the best of them within what is asked. */
  async ways(of: Pick<WaysGround, 'orderId' | 'names' | 'volumes'>, asked: WaysAsked): Promise<Ways> {
    const { version } = await this.of(of.orderId)
    const { machine, rates, calibrations } = this
    const jobs = [...this.jobs.values()]
    return this.chosenWays.get(JSON.stringify([of.orderId, [...of.names], of.volumes, asked]), version, () =>
      inTurns(waysOf({ ...of, jobs, forecasts: { rates, calibrations }, machine }, asked, new Date())),
    )
  }

  /** Holds two ways to the same frames against each other, behind all that is begun and waits. */
  async renderOrTreat(
    order: Pick<OrderRecord, 'id' | 'dueAt'>,
    tests: Record<'full' | 'reduced', MeasuredTest>,
    question: RenderQuestion,
  ): Promise<RenderAnswer> {
    await this.of(order.id)
    const { machine } = this
    const ground = { rates: this.rates, calibrations: this.calibrations }
    const before = releasedWork([...this.jobs.values()], job => forecastOf(job, ground), machine)
    const [full, reduced] = [asTest(tests.full, ground), asTest(tests.reduced, ground)]
    return inTurns(
      renderOrTreat({ machine, before, orderId: order.id, dueAt: order.dueAt, full, reduced }, question, new Date()),
    )
  }

  /** The next one who asks for a suggestion or an outlook gets a new one. */
  forgetOutlooks(): void {
    this.suggestions.forget()
    this.outlooks.forget()
    this.chosenWays.forget()
  }

  /** Has one after the other, also after one that failed. */
  private inTurn(update: () => Promise<void>): Promise<void> {
    this.updating = this.updating.then(update, update)
    return this.updating
  }

  /** Hears of what was written before, and what lanes, cores and hours there are. */
  private async hear(em: EntityManager): Promise<void> {
    await this.catchUp()
    if (!this.isMachineStale) return
    this.isMachineStale = false
    const machine = await machineOf(em)
    if (JSON.stringify(machine) !== JSON.stringify(this.machine)) this.version++
    this.machine = machine
  }

  /** Reads what changed; all, where it has to. @param orderId whose jobs are all wanted, also those that are done */
  private async read(em: EntityManager, orderId: number | null): Promise<void> {
    if (this.areCalibrationsStale) {
      this.areCalibrationsStale = false
      this.calibrations = await calibrationsOf(em)
    }
    const isKnown = !this.isStale && (orderId === null || this.orders.has(orderId))
    if (isKnown) await this.readChanges(em)
    else await this.readAll(em, orderId)
  }

  private async bringUpToDate(orderId: number): Promise<void> {
    const em = this.em()
    await this.hear(em)
    const before = this.made.get(orderId)
    const isKnown = this.orders.has(orderId) && !this.isStale
    const isFresh = before?.version === this.version && isKnown
    const hasProgress = before?.progressed !== this.progressed
    if (isFresh && (!hasProgress || Date.now() - before.at.getTime() < progressMilliseconds)) return
    // What is announced while it is read makes the plan stale again.
    const { version, progressed } = this
    await this.read(em, orderId)
    const disks = await this.disks()
    const own: JobOutline[] = []
    const others: JobOutline[] = []
    for (const job of this.jobs.values()) (job.orderId === orderId ? own : others).push(job)
    const at = new Date()
    const agenda = await inTurns(
      Agenda.make(
        ...([orderId, own, others, this.machine] as const),
        { rates: this.rates, calibrations: this.calibrations },
        at,
        disks,
      ),
    )
    this.made.set(orderId, { agenda, own, at, version, progressed })
  }

  private takeChanges() {
    const { job, source, sample } = this.changed
    const taken = { jobs: [...job], sourceIds: [...source], sampleIds: [...sample] }
    for (const set of [job, source, sample]) set.clear()
    return taken
  }

  private async readChanges(em: EntityManager): Promise<void> {
    const taken = this.takeChanges()
    const keys = await likeKeysOf(em, taken.sampleIds)
    const moved = await this.readCourses(em, taken.jobs)
    const ids = [...new Set([...moved, ...(await jobsOfRows(em, taken))])]
    if (ids.length > mostChanges) return this.readOutlines(em)
    for (const [key, rate] of await likeRatesOf(em, keys)) this.rates.set(key, rate)
    if (ids.length === 0) return
    for (const id of ids) this.jobs.delete(id)
    for (const job of await listOutlines(em, { ids })) if (this.isWanted(job)) this.jobs.set(job.id, job)
  }

  /** Takes over how jobs stand. @returns those that have to be read whole: new ones, and those that are measured otherwise now */
  private async readCourses(em: EntityManager, ids: readonly number[]): Promise<number[]> {
    const known = ids.filter(id => this.jobs.has(id))
    const gone = new Set(known)
    const whole = ids.filter(id => !this.jobs.has(id))
    for (const course of await listCourses(em, known)) {
      gone.delete(course.id)
      const job = { ...this.jobs.get(course.id)!, ...course }
      if (job.sampleId !== this.jobs.get(course.id)!.sampleId) whole.push(job.id)
      else if (this.isWanted(job)) this.jobs.set(job.id, job)
      else this.jobs.delete(job.id)
    }
    for (const id of gone) this.jobs.delete(id)
    return whole
  }

  private async readAll(em: EntityManager, orderId: number | null): Promise<void> {
    if (orderId !== null) this.orders.add(orderId)
    this.isStale = false
    this.takeChanges()
    await this.readOutlines(em)
  }

  private async readOutlines(em: EntityManager): Promise<void> {
    const outlines = await listOutlines(em, { openAndOf: [...this.orders] })
    this.rates = await likeRatesOf(
      em,
      outlines.flatMap(job => (job.likeKey !== null && job.measured === null ? [job.likeKey] : [])),
    )
    this.jobs.clear()
    for (const job of outlines) this.jobs.set(job.id, job)
  }

  private isWanted(job: JobOutline): boolean {
    return this.orders.has(job.orderId) || job.state === 'draft' || job.state === 'waiting' || isInHand(job.state)
  }
}

/** What answers about orders depend on. */
function keyOf(orders: readonly OrderRecord[]): string {
  return JSON.stringify(orders.map(({ id, code, name, dueAt, lateWeight }) => [id, code, name, dueAt, lateWeight]))
}
