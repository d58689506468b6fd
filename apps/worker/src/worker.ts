import { randomUUID } from 'node:crypto'
import {
  adoptPlacing,
  areJobsWorkedOn,
  bringUpToDate,
  continueJob,
  dispatchJobs,
  endTasks,
  findLostWorkers,
  giveBackUnknown,
  holdingsOf,
  jobsOf,
  keepFound,
  letGo,
  listen,
  measureMore,
  patiently,
  registerWorker,
  reportWorker,
  retireWorker,
  returnTasks,
  startJob,
  takeTasks,
  type Database,
  type JobRow,
  type Listening,
  type ShortKind,
  type Task,
  type TaskQueue,
  type WorkerIdentity,
} from '@hematine/database'
import { usualSegmentLength, type FoundDevices, type SegmentLength } from '@hematine/core'
import type { Logger } from 'pino'
import { removeOldScratch } from './abandoned.ts'
import { SpareProcess } from './child-process.ts'
import { Children } from './children.ts'
import { Devices, type GivenDevice } from './devices.ts'
import { JobRun } from './job-run.ts'
import { kinds } from './kinds/index.ts'
import type { Hands, Kind } from './kinds/kind.ts'
import { coresOfMachine, machineInWords, processLives } from './machine.ts'
import { placeResult } from './placing.ts'
import { markVolumes, tidy } from './tidying.ts'
import { MachineTurns } from './shared-machine.ts'
import { Turnstile } from './turnstile.ts'
import { lookAtWatches } from './watching.ts'

const signOfLifeMilliseconds = 2000
/** Sources change by the dozen while facts are read; work that others make of them is looked for so often. */
const lookAtSourcesMilliseconds = 1000
/** Before a task that met a database out of reach is tried again. */
const waitAfterTroubleMilliseconds = 5000
/** Between two looks for what was left behind. */
const tidyEveryMilliseconds = 3600_000
export interface WorkerOptions {
  database: Database
  queue: TaskQueue
  databaseUrl: string
  name: string
  host: string
  lanes: number
  /** Processes kept ready for reading files. */
  ready: number
  /** Where sample encodes are written; each is removed right after. */
  scratchDirectory: string
  /** Its graphics devices; none unless said. */
  devices?: Devices
  /** How much work a segment of a job is to be; as usual unless said. */
  segmentLength?: SegmentLength
  log: Logger
}

/** Takes tasks while it has room, supervises one child process for each, and gives everything back when it leaves. */
export class Worker {
  private identity: WorkerIdentity
  /** As a person says, if one has. */
  private lanes: number
  private readonly turns: MachineTurns
  private readonly turnstile: Turnstile
  private readonly runs = new Map<number, JobRun>()
  /** Tasks of each kind under way. */
  private readonly busy = new Map<ShortKind, number>()
  private readonly children: Children
  private readonly devices: Devices
  /** Sessions of graphics devices that tasks in hand have. */
  private readonly given = new Map<string, GivenDevice>()
  private readonly hands: Hands
  private lookingAtDevices: Promise<void> | null = null
  private obeying: Promise<void> = Promise.resolve()
  private watching: Promise<void> | null = null
  /** Filling of lanes, one after another, so that none is filled twice. */
  private filling: Promise<unknown> = Promise.resolve()
  private lookingAtSources: NodeJS.Timeout | undefined
  /** Numbers of the tasks in hand, and how many are being taken at this moment. */
  private readonly inHand = new Set<string>()
  private taking = 0
  /** What the database said this worker holds, and it does not, when that was last looked at. */
  private unknown = new Set<string>()
  private stopping = false
  private looking: Promise<void> | null = null
  private lookAgain = false
  private timer: NodeJS.Timeout | undefined
  private tidiedAt = 0
  private listening: Listening | null = null
  /** A process for the next job, where processes are kept ready. */
  private readonly spare: SpareProcess | null

  constructor(private readonly options: WorkerOptions) {
    this.turns = new MachineTurns({
      em: () => this.em,
      host: options.host,
      workerId: () => this.identity.id,
      isStopping: () => this.stopping,
    })
    this.turnstile = new Turnstile(undefined, this.turns)
    this.spare = options.ready > 0 ? new SpareProcess() : null
    this.children = new Children(
      this.turnstile,
      kinds.filter(kind => kind.usesReader).reduce((sum, { lanes }) => sum + (lanes === 'of jobs' ? 0 : lanes), 0),
      options.ready,
      this.spare,
    )
    this.lanes = options.lanes
    this.devices = options.devices ?? new Devices({ devices: [], missing: [] }, false, options.scratchDirectory)
    this.identity = this.newIdentity()
    this.hands = this.makeHands()
  }

  private makeHands(): Hands {
    const { queue, log, scratchDirectory } = this.options
    const now = { em: () => this.em, identity: () => this.identity, isStopping: () => this.stopping }
    return {
      queue,
      log,
      scratchDirectory,
      noteTrouble: (device, reason) => this.noteTrouble(device, reason),
      persist: work => this.persist(work),
      inChild: (...words) => this.children.inChild(...words),
      inReader: (...words) => this.children.inReader(...words),
      get em() {
        return now.em()
      },
      get identity() {
        return now.identity()
      },
      get isStopping() {
        return now.isStopping()
      },
    }
  }

  private newIdentity(): WorkerIdentity {
    const { name, host, lanes } = this.options
    return {
      ...{ id: randomUUID(), name, machine: machineInWords(), cores: coresOfMachine(), host, pid: process.pid, lanes },
      ...{ found: this.devices.found, devicesOnly: this.devices.isOnly },
    }
  }

  private get em() {
    return this.options.database.em.fork()
  }

  async start(): Promise<void> {
    this.lanes = await registerWorker(this.em, this.identity)
    this.listening = await listen(
      this.options.databaseUrl,
      change => {
        if (change.table === 'source')
          this.lookingAtSources ??= setTimeout(() => {
            this.lookingAtSources = undefined
            this.look()
          }, lookAtSourcesMilliseconds)
        else if (change.table === 'measuring_turn') this.obeyTurns()
        else if (change.table === 'worker' && change.id === this.identity.id) void this.heed()
        else if (!['worker', 'lot', 'watch'].includes(change.table) && !change.isProgress) this.look()
      },
      () => this.look(),
    )
    await markVolumes(this.hands)
    await this.tidy()
    await removeOldScratch(this.options.scratchDirectory)
    while ((await bringUpToDate(this.em)) > 0);
    this.timer = setInterval(() => void this.signOfLife(), signOfLifeMilliseconds)
    this.options.log.info({ name: this.identity.name, lanes: this.lanes }, 'worker ready')
    this.look()
  }

  /** Takes the graphics devices that were found into use. */
  async equip(found: FoundDevices): Promise<void> {
    this.devices.found = found
    await this.persist(() => keepFound(this.em, this.identity.id, found))
    this.identity = { ...this.identity, found }
    this.look()
  }

  /** Ends all work here and gives it back, so that another worker or a later start does it. */
  async stop(): Promise<void> {
    this.stopping = true
    clearInterval(this.timer)
    clearTimeout(this.lookingAtSources)
    await this.listening?.end()
    for (const run of this.runs.values()) run.stop()
    this.children.stop()
    this.spare?.stop()
    // What is being taken at this moment is claimed first, so that it is given back too.
    await Promise.allSettled([this.watching, this.filling, this.looking])
    await retireWorker(this.em, this.options.queue, this.identity.id, 'the worker was ended', false)
    await Promise.all([...this.runs.values()].map(run => run.ended))
  }

  /** Pauses, or goes on, as another worker of this machine measures; one after another. */
  private obeyTurns(): void {
    this.obeying = this.obeying
      .then(() => this.turns.obey(this.turnstile))
      .catch((error: Error) =>
        this.options.log.warn({ error: error.message }, 'whose turn it is to measure is not known'),
      )
  }

  /** Says that it lives, and takes over what a person wants of it. @returns false when it was taken for lost */
  private async report(): Promise<boolean> {
    const wanted = await reportWorker(this.em, this.identity.id, this.devices.changedTroubles())
    if (wanted === null) return false
    this.lanes = wanted.lanes
    this.devices.suffer(wanted.fault)
    return true
  }

  /** A person wants something else of it: at once, and not with the next sign of life, which also comes where this fails. */
  private async heed(): Promise<void> {
    if (await this.report().catch(() => false)) this.look()
  }

  /** Looks whether devices work again, beside all else: a driver may take its time. */
  private lookAtDevices(): void {
    this.lookingAtDevices ??= this.devices.lookAgain().finally(() => {
      this.lookingAtDevices = null
    })
  }

  private async signOfLife(): Promise<void> {
    try {
      this.obeyTurns()
      this.lookAtDevices()
      if (!(await this.report())) await this.startOver()
      for (const id of await findLostWorkers(this.em, this.options.host, processLives)) {
        if (id === this.identity.id) continue
        this.options.log.warn({ worker: id }, 'a worker is lost; its work is given to others')
        await retireWorker(this.em, this.options.queue, id, 'its worker was lost')
        await this.tidy()
      }
      await this.giveBackUnknown()
      await markVolumes(this.hands)
      if (Date.now() - this.tidiedAt > tidyEveryMilliseconds) await this.tidy()
      if (this.runs.size === 0 && this.lanesTaken === 0 && !this.devices.isOnly)
        await measureMore(this.em, this.options.queue)
      this.look()
      if (!this.devices.isOnly)
        this.watching ??= lookAtWatches(this.hands).finally(() => {
          this.watching = null
        })
    } catch (error) {
      this.options.log.error({ error: (error as Error).message }, 'the database does not answer; trying again')
    }
  }

  /**
   * Gives back what the database holds for this worker but it knows nothing of, seen at two looks in a row: its connection was cut after the database had
   * done what it asked and before it heard of it.
   */
  private async giveBackUnknown(): Promise<void> {
    const holdings = await holdingsOf(this.em, this.identity.id)
    if (this.taking > 0 || this.stopping) return
    const now = new Set([
      ...holdings.tasks.filter(task => !this.inHand.has(task)),
      ...holdings.jobs.filter(job => !this.runs.has(job)).map(String),
    ])
    const lasting = [...now].filter(name => this.unknown.has(name))
    this.unknown = now
    if (lasting.length === 0) return
    this.options.log.warn({ tasks: lasting.length }, 'work that nobody here knows of is given back')
    await giveBackUnknown(this.em, this.options.queue, this.identity.id, {
      tasks: holdings.tasks.filter(task => lasting.includes(task)),
      jobs: holdings.jobs.filter(job => lasting.includes(String(job))),
    })
  }

  /** Takes tasks; while that is under way nothing is taken for unknown. */
  private async take<Kind extends Task['kind']>(kind: Kind, most: number): Promise<Task<Kind>[]> {
    this.taking++
    try {
      const tasks = await takeTasks(this.em, this.options.queue, kind, this.identity.id, most, this.needsOf(kind))
      for (const task of tasks) {
        this.inHand.add(task.id)
        if ('need' in task.payload && task.payload.need) this.given.set(task.id, this.devices.take(task.payload.need))
      }
      return tasks
    } finally {
      this.taking--
    }
  }

  private needsOf(kind: Task['kind']) {
    return this.devices.needsOf(kind === 'job' ? 'job' : 'measurement')
  }

  private putDown(tasks: readonly Task[]): void {
    for (const { id, kind } of tasks) {
      this.inHand.delete(id)
      const given = this.given.get(id)
      if (given) this.devices.giveBack(given, kind === 'job' ? 'job' : 'measurement')
      this.given.delete(id)
    }
  }

  private noteTrouble(device: string, reason: string): void {
    this.options.log.warn({ device, reason }, 'a graphics device takes no work until it answers again')
    this.devices.note(device, reason)
  }

  /** Others took this worker for lost and have its work: what still runs here is stopped, and it begins anew under another identity. */
  private async startOver(): Promise<void> {
    this.options.log.warn('this worker was taken for lost; it starts over')
    for (const run of this.runs.values()) run.stop()
    this.children.stopTasks()
    this.identity = this.newIdentity()
    this.lanes = await registerWorker(this.em, this.identity)
  }

  /** Looks for work soon; calls while looking are gathered into one more look. */
  private look(): void {
    this.lookAgain = true
    this.looking ??= this.lookWhileNeeded().finally(() => {
      this.looking = null
    })
  }

  private async lookWhileNeeded(): Promise<void> {
    while (this.lookAgain && !this.stopping) {
      this.lookAgain = false
      try {
        this.turnstile.isOpen = await areJobsWorkedOn(this.em)
        await this.obey()
        await this.finishPlacing()
        this.grantLanes()
        await this.fillShortLanes()
        await this.fillJobLanes()
        if (this.devices.letMeasure()) this.lookAgain = true
      } catch (error) {
        this.options.log.error({ error: (error as Error).message }, 'looking for work failed; trying again')
      }
    }
  }

  /** Brings running jobs into the state that people put them in. */
  private async obey(): Promise<void> {
    const mine = new Map((await jobsOf(this.em, this.identity.id)).map(job => [job.id, job]))
    for (const run of this.runs.values()) {
      if (run.isStopping) continue
      const job = mine.get(run.job.id)
      if (!job || job.attempt !== run.job.attempt || job.state === 'cancelled') run.stop()
      // Held and resumed, or cancelled and tried again, within one look: it waits for its turn like any other.
      else if ((job.state === 'held' || job.state === 'waiting') && !run.isHeld) run.hold()
    }
    for (const job of mine.values()) {
      if (!this.runs.has(job.id) && ['cancelled', 'held', 'waiting'].includes(job.state))
        await letGo(this.em, job.id, job.attempt, this.identity.id)
    }
  }

  /** Lanes that parts of jobs are made in. */
  private get lanesOfUnits(): number {
    return kinds.reduce((sum, { name, lanes }) => sum + (lanes === 'of jobs' ? this.busyWith(name) : 0), 0)
  }

  private get lanesTaken(): number {
    return this.lanesOfUnits + [...this.runs.values()].filter(run => run.takesLane).length
  }

  private get freeLanes(): number {
    return this.lanes - this.lanesTaken
  }

  /** Whether a job that was begun here can go on: where all lanes were taken away meanwhile, one after another. */
  private get hasLaneForBegun(): boolean {
    return this.lanesTaken < Math.max(1, this.lanes)
  }

  /** Lanes that a new job may have: a job whose last segments are made goes on in one of theirs, and where they end elsewhere, in one that is kept for it. */
  private get lanesForJobs(): number {
    const wanted = [...this.runs.values()].filter(run => run.wantsLaneNext).length
    return this.freeLanes - Math.max(0, wanted - this.lanesOfUnits)
  }

  /** Jobs whose segments are all there come before anything new. */
  private grantLanes(): void {
    if (!this.turnstile.isOpen) return
    for (const run of this.runs.values()) if (run.waitsForLane && !run.isHeld && this.hasLaneForBegun) run.takeLane()
  }

  private hasRoomFor({ name, lanes }: Kind): boolean {
    return lanes === 'of jobs' ? this.turnstile.isOpen && this.freeLanes > 0 : this.busyWith(name) < lanes
  }

  /** Goes on with held jobs and begins new ones. While a lane is filled with a job nobody fills it with a part of one. */
  private fillJobLanes(): Promise<void> {
    return this.inTurn(() => this.takeJobs())
  }

  /** Goes on with jobs that were held and may go on, before anything new. */
  private async continueHeld(): Promise<void> {
    if (![...this.runs.values()].some(run => run.isHeld)) return
    for (const job of await jobsOf(this.em, this.identity.id)) {
      const run = this.runs.get(job.id)
      if (
        run?.isHeld &&
        !run.isStopping &&
        job.state === 'waiting' &&
        this.hasLaneForBegun &&
        (await continueJob(this.em, job.id, job.attempt, this.identity.id))
      )
        run.resume()
    }
  }

  private async takeJobs(): Promise<void> {
    const { queue } = this.options
    while (this.turnstile.isOpen) {
      await this.continueHeld()
      // A lane may have become free since they were looked at: parts of jobs that are begun come before another job.
      for (const kind of kinds) if (kind.lanes === 'of jobs') await this.fillLane(kind)
      if (this.lanesForJobs <= 0 || this.stopping) return
      const own = { id: this.identity.id, lanes: this.lanes }
      await dispatchJobs(this.em, queue, this.lanesForJobs, own, this.needsOf('job'))
      const [task] = await this.take('job', 1)
      if (!task) return
      // Until its run is known, what was begun must not be taken for unknown.
      this.taking++
      try {
        const job = await startJob(this.em, task.payload.jobId, task.payload.attempt, this.identity)
        if (job) {
          this.runJob(job, task)
          continue
        }
        await endTasks(this.em, queue, [task])
        this.putDown([task])
      } catch (error) {
        // The database holds it for this worker, which knows nothing of it any more: it is given back at one of the next looks.
        this.putDown([task])
        throw error
      } finally {
        this.taking--
      }
    }
  }

  private runJob(job: JobRow, task: Task): void {
    const { database, queue, segmentLength = usualSegmentLength } = this.options
    const run = new JobRun(job, {
      database,
      queue,
      workerId: this.identity.id,
      turnstile: this.turnstile,
      segmentLength,
      onDevice: this.given.get(task.id) ?? null,
      onTrouble: (device, reason) => this.noteTrouble(device, reason),
      onLane: () => this.look(),
      spare: this.spare,
    })
    this.runs.set(job.id, run)
    this.options.log.info({ job: job.id, attempt: job.attempt }, 'job begun')
    void run.ended
      .then(() => this.persist(() => endTasks(this.em, this.options.queue, [task])))
      .catch((error: Error) => this.options.log.error({ job: job.id, error: error.message }, 'job ended badly'))
      .finally(() => {
        this.runs.delete(job.id)
        this.putDown([task])
        this.options.log.info({ job: job.id }, 'job left')
        this.look()
      })
  }

  private async finishPlacing(): Promise<void> {
    await adoptPlacing(this.em, this.identity)
    for (const job of await jobsOf(this.em, this.identity.id)) {
      if (job.state !== 'placing' || this.runs.has(job.id)) continue
      await placeResult(this.em, job.id).catch((error: Error) =>
        this.options.log.error(
          { job: job.id, error: error.message },
          'a result cannot be put in its place yet; trying again',
        ),
      )
    }
  }

  private fillShortLanes(some: readonly Kind[] = kinds): Promise<void> {
    return this.inTurn(async () => {
      const waiting = await this.options.queue.waitingKinds(this.em, this.needsOf('sample'))
      for (const kind of some) if (waiting.has(kind.name)) await this.fillLane(kind)
    })
  }

  /** Fills lanes when nobody else does. */
  private inTurn(fill: () => Promise<void>): Promise<void> {
    const filled = this.filling.then(fill)
    this.filling = filled.catch(() => undefined)
    return filled
  }

  private busyWith(name: ShortKind): number {
    return this.busy.get(name) ?? 0
  }

  private async fillLane(kind: Kind): Promise<void> {
    while (this.hasRoomFor(kind) && !this.stopping && !kind.after?.some(earlier => this.busyWith(earlier) > 0)) {
      const tasks = await this.take(kind.name, kind.atOnce ?? 1)
      if (tasks.length === 0) break
      this.inBackground(kind, tasks)
    }
  }

  private inBackground(kind: Kind, tasks: readonly Task<ShortKind>[]): void {
    const { log, queue } = this.options
    this.busy.set(kind.name, this.busyWith(kind.name) + 1)
    const perform = ({ id, payload }: Task<ShortKind>) => {
      const work = () => kind.run(payload as never, this.hands, this.given.get(id) ?? null)
      return kind.processor === null ? work() : this.turnstile[kind.processor](work)
    }
    const work = async () => {
      for (const task of tasks) if (!this.stopping) await perform(task)
      // A worker that leaves gives its tasks back; ending them here too would lose them.
      if (!this.stopping) await this.persist(() => endTasks(this.em, queue, tasks))
    }
    void work()
      .catch(async (error: Error) => {
        log.error({ kind: kind.name, error: error.message }, 'tasks ended badly; they are queued again')
        await new Promise(resolve => setTimeout(resolve, waitAfterTroubleMilliseconds))
        if (!this.stopping) await this.persist(() => returnTasks(this.em, queue, tasks))
      })
      .catch((error: Error) => log.error({ kind: kind.name, error: error.message }, 'tasks could not be given back'))
      .finally(() => {
        this.busy.set(kind.name, this.busyWith(kind.name) - 1)
        this.putDown(tasks)
        const next = kinds.filter(
          other => other === kind || other.after?.includes(kind.name) || kind.leadsTo?.includes(other.name),
        )
        // Jobs may be waiting for the session that it had.
        if (tasks.some(({ payload }) => 'need' in payload)) this.look()
        void this.fillShortLanes(next).catch((error: Error) =>
          log.error({ error: error.message }, 'looking for work failed; trying again'),
        )
      })
  }

  /** Writes to the database for as long as it takes: what was worked out is not thrown away because it is being started again. */
  private persist<Result>(work: () => Promise<Result>): Promise<Result> {
    return patiently(work, {
      givesUp: () => this.stopping,
      onWait: error =>
        this.options.log.warn(
          { error: (error as Error).message },
          'the database does not answer; what was worked out waits',
        ),
    })
  }

  private async tidy(): Promise<void> {
    this.tidiedAt = Date.now()
    await tidy(this.hands)
  }
}
