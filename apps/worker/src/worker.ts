import { randomUUID } from 'node:crypto'
import { readdir, rm } from 'node:fs/promises'
import path from 'node:path'
import { deliveredFacts, MissingAsset, planOf, sectorBytes, type Planned } from '@hematine/core'
import {
  adoptPlacing, assetBytes, beginMeasuring, beginSample, beginTrial, bringUpToDate, continueJob, dispatchJobs, endTasks, findLostWorkers, giveBackUnknown, holdingsOf, isOpen, jobsOf, keepFacts, keepLook, keepMeasurement, keepMeasuringFailure, keepMeasuringPart, keepRefusal, keepSampleFailure, keepScanned, keepTrialFailure, keepTrialLooks, keepTrialMoment, knownTrials,
  keepSourceMeasurement, letGo, listVolumes, listen, needsTemporary, nextDirectory, noteMarked, patiently, readSource, registerWorker, reportWorker, retireWorker, returnTasks, sequencesByPath, sourceNumbersByPath, sourceOf, sourceVolumeOf, startJob, takeDueWatch, takeTasks, triedSources, unreadableOf,
  type Database, type JobRow, type ShortKind, type SourceRow, type Task, type TaskPayloads, type TaskQueue, type VolumeRow, type WorkerIdentity,
} from '@hematine/database'
import { provideAssets } from '@hematine/media/assets'
import type { MediaInput } from '@hematine/media/input'
import { sourceInput } from '@hematine/media/source-input'
import { markVolume, trialDirectory, VolumeProblem, workDirectory } from '@hematine/media/volume-files'
import type { Logger } from 'pino'
import { brokeOffSentence, ReadingProcess, TaskProcess, type OnTheWay, type Outcome } from './child-process.ts'
import { JobRun } from './job-run.ts'
import { machineInWords, processLives } from './machine.ts'
import type { Assignment } from './messages.ts'
import { placeResult } from './placing.ts'
import { removeAbandonedUploads, removeOldScratch } from './abandoned.ts'
import { copyFromDrive, removeLeftCopies } from './copying.ts'
import { lookAtWatch, scanDirectory } from './scanning.ts'
import { Turnstile } from './turnstile.ts'

const signOfLifeMilliseconds = 2000
/** Tasks of each kind, other than jobs, that are done at the same time. */
const shortLanes: Record<ShortKind, number> = { facts: 3, sample: 1, scan: 1, measure: 1, copy: 1, trial: 1 }
/** Sources change by the dozen while facts are read; work that others make of them is looked for so often. */
const lookAtSourcesMilliseconds = 1000
/** Files whose facts are read under one claim: taking and ending tasks costs about as much as reading a small file. */
const factsAtOnce = 6
/** Before a task that met a database out of reach is tried again. */
const waitAfterTroubleMilliseconds = 5000
/** Between two looks for what was left behind. */
const tidyEveryMilliseconds = 3600_000
/** Times that a task whose process broke off is tried. */
const tries = 3

export interface WorkerOptions {
  database: Database
  queue: TaskQueue
  databaseUrl: string
  name: string
  host: string
  lanes: number
  /** Where sample encodes are written; each is removed right after. */
  scratchDirectory: string
  log: Logger
}

/** Takes tasks while it has room, supervises one child process for each, and gives everything back when it leaves. */
export class Worker {
  private identity: WorkerIdentity
  private readonly turnstile = new Turnstile()
  private readonly runs = new Map<number, JobRun>()
  private readonly busy: Record<ShortKind, number> = { facts: 0, sample: 0, scan: 0, measure: 0, copy: 0, trial: 0 }
  /** Processes that read facts and measure sources, kept between tasks; then those that nobody uses now. */
  private readonly readers: ReadingProcess[] = Array.from({ length: shortLanes.facts + shortLanes.measure }, () => new ReadingProcess())
  private readonly freeReaders: ReadingProcess[] = [...this.readers]
  private watching: Promise<void> | null = null
  /** Filling of short lanes, one after another, so that none is filled twice. */
  private filling: Promise<unknown> = Promise.resolve()
  private lookingAtSources: NodeJS.Timeout | undefined
  private readonly tasks = new Set<TaskProcess>()
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
  private endListening: () => Promise<void> = async () => undefined

  constructor(private readonly options: WorkerOptions) {
    this.identity = this.newIdentity()
  }

  private newIdentity(): WorkerIdentity {
    const { name, host, lanes } = this.options
    return { id: randomUUID(), name, machine: machineInWords(), host, pid: process.pid, lanes }
  }

  private get em() {
    return this.options.database.em.fork()
  }

  async start(): Promise<void> {
    await registerWorker(this.em, this.identity)
    this.endListening = await listen(this.options.databaseUrl, change => {
      if (change.table === 'source') this.lookingAtSources ??= setTimeout(() => {
        this.lookingAtSources = undefined
        this.look()
      }, lookAtSourcesMilliseconds)
      else if (!['worker', 'lot', 'watch'].includes(change.table) && !change.isProgress) this.look()
    }, () => this.look())
    await this.markVolumes()
    await this.tidy()
    await removeOldScratch(this.options.scratchDirectory)
    while (await bringUpToDate(this.em) > 0);
    this.timer = setInterval(() => void this.signOfLife(), signOfLifeMilliseconds)
    this.look()
  }

  /** Ends all work here and gives it back, so that another worker or a later start does it. */
  async stop(): Promise<void> {
    this.stopping = true
    clearInterval(this.timer)
    clearTimeout(this.lookingAtSources)
    await this.endListening()
    for (const run of this.runs.values()) run.stop()
    for (const task of this.tasks) task.stop()
    for (const reader of this.readers) reader.stop()
    // What is being taken at this moment is claimed first, so that it is given back too.
    await Promise.allSettled([this.watching, this.filling, this.looking])
    await retireWorker(this.em, this.options.queue, this.identity.id, 'the worker was ended', false)
    await Promise.all([...this.runs.values()].map(run => run.ended))
  }

  private async signOfLife(): Promise<void> {
    try {
      if (!await reportWorker(this.em, this.identity.id)) await this.startOver()
      for (const id of await findLostWorkers(this.em, this.options.host, processLives)) {
        if (id === this.identity.id) continue
        this.options.log.warn({ worker: id }, 'a worker is lost; its work is given to others')
        await retireWorker(this.em, this.options.queue, id, 'its worker was lost')
        await this.tidy()
      }
      await this.giveBackUnknown()
      await this.markVolumes()
      if (Date.now() - this.tidiedAt > tidyEveryMilliseconds) await this.tidy()
      this.look()
      this.watching ??= this.lookAtWatches().finally(() => { this.watching = null })
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
    const now = new Set([...holdings.tasks.filter(task => !this.inHand.has(task)), ...holdings.jobs.filter(job => !this.runs.has(job)).map(String)])
    const lasting = [...now].filter(name => this.unknown.has(name))
    this.unknown = now
    if (lasting.length === 0) return
    this.options.log.warn({ tasks: lasting.length }, 'work that nobody here knows of is given back')
    await giveBackUnknown(this.em, this.options.queue, this.identity.id, { tasks: holdings.tasks.filter(task => lasting.includes(task)), jobs: holdings.jobs.filter(job => lasting.includes(String(job))) })
  }

  /** Gives volumes that results or working files go to the marker that they are known by from then on. */
  private async markVolumes(): Promise<void> {
    for (const volume of await listVolumes(this.em)) {
      if (volume.markedAt || volume.role === 'source') continue
      try {
        await markVolume(volume)
        await noteMarked(this.em, volume.id)
      } catch (error) {
        this.options.log.warn({ volume: volume.name, error: (error as Error).message }, 'a volume could not be given its marker yet')
      }
    }
  }

  /** Takes tasks; while that is under way nothing is taken for unknown. */
  private async take<Kind extends Task['kind']>(kind: Kind, most: number): Promise<Task<Kind>[]> {
    this.taking++
    try {
      const tasks = await takeTasks(this.em, this.options.queue, kind, this.identity.id, most)
      for (const task of tasks) this.inHand.add(task.id)
      return tasks
    } finally {
      this.taking--
    }
  }

  private putDown(tasks: readonly Task[]): void {
    for (const task of tasks) this.inHand.delete(task.id)
  }

  /** Others took this worker for lost and have its work: what still runs here is stopped, and it begins anew under another identity. */
  private async startOver(): Promise<void> {
    this.options.log.warn('this worker was taken for lost; it starts over')
    for (const run of this.runs.values()) run.stop()
    for (const task of this.tasks) task.stop()
    this.identity = this.newIdentity()
    await registerWorker(this.em, this.identity)
  }

  /** Looks for work soon; calls while looking are gathered into one more look. */
  private look(): void {
    this.lookAgain = true
    this.looking ??= this.lookWhileNeeded().finally(() => { this.looking = null })
  }

  private async lookWhileNeeded(): Promise<void> {
    while (this.lookAgain && !this.stopping) {
      this.lookAgain = false
      try {
        await this.obey()
        await this.finishPlacing()
        await this.fillShortLanes()
        await this.fillJobLanes()
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
      if (!this.runs.has(job.id) && ['cancelled', 'held', 'waiting'].includes(job.state)) await letGo(this.em, job.id, job.attempt, this.identity.id)
    }
  }

  private get freeLanes(): number {
    return this.options.lanes - [...this.runs.values()].filter(run => !run.isHeld).length
  }

  private async fillJobLanes(): Promise<void> {
    const { queue } = this.options
    for (const job of await jobsOf(this.em, this.identity.id)) {
      const run = this.runs.get(job.id)
      if (run?.isHeld && !run.isStopping && job.state === 'waiting' && this.freeLanes > 0 && await continueJob(this.em, job.id, job.attempt, this.identity.id)) run.resume()
    }
    while (this.freeLanes > 0 && !this.stopping) {
      await dispatchJobs(this.em, queue, this.freeLanes)
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
    const run = new JobRun(job, this.options.database, this.identity.id, this.turnstile)
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
      await placeResult(this.em, job.id).catch((error: Error) => this.options.log.error({ job: job.id, error: error.message }, 'a result cannot be put in its place yet; trying again'))
    }
  }

  private fillShortLanes(kinds: readonly ShortKind[] = ['scan', 'facts', 'trial', 'sample', 'measure', 'copy']): Promise<void> {
    const filled = this.filling.then(async () => {
      for (const kind of kinds) await this.fillLane(kind)
    })
    this.filling = filled.catch(() => undefined)
    return filled
  }

  private async fillLane(kind: ShortKind): Promise<void> {
    // What a source is comes before what is wrong with it: measuring waits until no facts do.
    while (this.busy[kind] < shortLanes[kind] && !this.stopping && !(kind === 'measure' && this.busy.facts > 0)) {
      const tasks = await this.take(kind, kind === 'facts' ? factsAtOnce : 1)
      if (tasks.length === 0) break
      this.inBackground(kind, tasks)
    }
  }

  private perform({ kind, payload }: Task<ShortKind>): Promise<void> {
    const { turnstile } = this
    switch (kind) {
      case 'facts': return turnstile.beside(() => this.readFacts((payload as TaskPayloads['facts']).sourceId))
      case 'measure': return turnstile.beside(() => this.measureSource(payload as TaskPayloads['measure']))
      case 'trial': return turnstile.alone(() => this.runTrial((payload as TaskPayloads['trial']).trialId))
      case 'sample': return turnstile.alone(() => this.measureSample((payload as TaskPayloads['sample']).sampleId))
      case 'copy': return copyFromDrive(this.em, this.options.queue, (payload as TaskPayloads['copy']).copyId, () => this.stopping)
      case 'scan': return this.scan((payload as TaskPayloads['scan']).scanId)
    }
  }

  private inBackground(kind: ShortKind, tasks: readonly Task<ShortKind>[]): void {
    this.busy[kind]++
    const work = async () => {
      for (const task of tasks) if (!this.stopping) await this.perform(task)
      // A worker that leaves gives its tasks back; ending them here too would lose them.
      if (!this.stopping) await this.persist(() => endTasks(this.em, this.options.queue, tasks))
    }
    void work()
      .catch(async (error: Error) => {
        this.options.log.error({ kind, error: error.message }, 'tasks ended badly; they are queued again')
        await new Promise(resolve => setTimeout(resolve, waitAfterTroubleMilliseconds))
        if (!this.stopping) await this.persist(() => returnTasks(this.em, this.options.queue, tasks))
      })
      .catch((error: Error) => this.options.log.error({ kind, error: error.message }, 'tasks could not be given back'))
      .finally(() => {
        this.busy[kind]--
        this.putDown(tasks)
        void this.fillShortLanes([kind, 'measure']).catch((error: Error) => this.options.log.error({ error: error.message }, 'looking for work failed; trying again'))
      })
  }

  /** Writes to the database for as long as it takes: what was worked out is not thrown away because it is being started again. */
  private persist<Result>(work: () => Promise<Result>): Promise<Result> {
    return patiently(work, { givesUp: () => this.stopping, onWait: error => this.options.log.warn({ error: (error as Error).message }, 'the database does not answer; what was worked out waits') })
  }

  private async inChild(assignment: Assignment, onTheWay: (report: OnTheWay, task: TaskProcess) => void = () => undefined): Promise<Outcome> {
    return this.untilDone(async () => {
      const task: TaskProcess = new TaskProcess(assignment, report => onTheWay(report, task))
      this.tasks.add(task)
      const outcome = await task.outcome
      this.tasks.delete(task)
      return outcome
    })
  }

  /** @param onPart told how far a measurement is; false ends it */
  private async inReader(assignment: Assignment, onPart: (part: number) => Promise<boolean> = async () => true): Promise<Outcome> {
    const reader = this.freeReaders.pop()!
    try {
      return await this.untilDone(() => reader.perform(assignment, part => {
        void onPart(part).then(goOn => { if (!goOn) reader.interrupt() }, () => undefined)
      }))
    } finally {
      this.freeReaders.push(reader)
    }
  }

  private async untilDone(attempt: () => Promise<Outcome>): Promise<Outcome> {
    for (let count = 1; ; count++) {
      const outcome = await attempt()
      if (outcome.say !== 'broke off') return outcome
      if (this.stopping) return { say: 'stopped' }
      if (count === tries) return { say: 'failed', reason: brokeOffSentence(outcome.how) }
    }
  }

  /** Where a source's bytes are; of a title, with what its drive could not read. */
  private async inputOf(source: SourceRow): Promise<MediaInput> {
    const volume = sourceVolumeOf(source)
    const input = await sourceInput(source, volume.path)
    if (input.kind === 'title' && source.disc) {
      const unreadable = await unreadableOf(this.em, volume.id, source.disc.path)
      input.unreadable = unreadable.map(({ from, to }) => ({ path: input.parts[0]!.path, at: from * sectorBytes, bytes: (to - from + 1) * sectorBytes }))
    }
    return input
  }

  private async readFacts(sourceId: number): Promise<void> {
    const source = await readSource(this.em, sourceId)
    // One that was read already is not read again when its batch was given back.
    if (source?.state !== 'reading' || this.stopping) return
    const outcome = await this.attempt(async () => this.inReader({ kind: 'facts', input: await this.inputOf(source) }))
    const { revision } = source
    if (outcome.say === 'facts') await this.persist(() => keepFacts(this.em, this.options.queue, sourceId, outcome.facts, outcome.identity, outcome.poster && Buffer.from(outcome.poster), revision))
    else if (outcome.say === 'failed') await this.persist(() => keepRefusal(this.em, sourceId, outcome.reason, revision))
  }

  private async measureSource({ sourceId, depth }: TaskPayloads['measure']): Promise<void> {
    const source = this.stopping ? null : await beginMeasuring(this.em, sourceId)
    if (!source) return
    const outcome = await this.attempt(async () => this.inReader({ kind: 'measure', input: await this.inputOf(source), facts: source.facts!, depth }, part => keepMeasuringPart(this.em, source, part)))
    if (outcome.say === 'measured') await this.persist(() => keepSourceMeasurement(this.em, source, outcome.measurement, outcome.facts, outcome.strip.map(({ seconds, picture }) => ({ seconds, picture: Buffer.from(picture) }))))
    else if (outcome.say === 'failed') await this.persist(() => keepMeasuringFailure(this.em, source, outcome.reason))
  }

  /** Goes through a folder, one directory after another, until it is through, stopped, or the worker leaves. */
  private async scan(scanId: number): Promise<void> {
    for (;;) {
      const next = this.stopping ? null : await nextDirectory(this.em, scanId)
      if (!next) return
      const volume = next.scan.volume.getEntity() as VolumeRow
      await keepScanned(this.em, this.options.queue, scanId, await scanDirectory(volume, next.directory, next.scan.frameRate))
    }
  }

  /** Looks at every watched folder that is due. */
  private async lookAtWatches(): Promise<void> {
    try {
      for (;;) {
        const watch = this.stopping ? null : await takeDueWatch(this.em)
        if (!watch) return
        const volume = watch.volume.getEntity() as VolumeRow
        const known = await sourceNumbersByPath(this.em, watch.order.id, volume.id)
        const sequences = await sequencesByPath(this.em, watch.order.id, volume.id)
        const look = await lookAtWatch(watch, volume, new Set(known.keys()), sequences).catch((error: unknown) => {
          if (!(error instanceof VolumeProblem)) throw error
          return { growing: watch.growing, arrivals: [], problem: error.message }
        })
        await keepLook(this.em, this.options.queue, watch.id, look)
      }
    } catch (error) {
      this.options.log.error({ error: (error as Error).message }, 'a watched folder could not be looked at; trying again')
    }
  }

  private async measureSample(sampleId: number): Promise<void> {
    const sample = this.stopping ? null : await beginSample(this.em, sampleId)
    if (!sample) return
    const source = sourceOf(sample)
    const outcome = await this.attempt(async () => this.inChild({
      kind: 'sample', input: await this.inputOf(source), facts: deliveredFacts(source.facts!, sample.treatment), ...await this.withAssets(sample),
      scratchDirectory: this.options.scratchDirectory, machine: this.identity.machine,
    }))
    if (outcome.say === 'sample') await this.persist(() => keepMeasurement(this.em, sampleId, sample.run, outcome.measurement))
    else if (outcome.say === 'failed') await this.persist(() => keepSampleFailure(this.em, sampleId, sample.run, outcome.reason))
  }

  /** Runs a trial, moment by moment; each is kept as soon as it is done, and one that was removed meanwhile is ended. */
  private async runTrial(trialId: number): Promise<void> {
    const trial = this.stopping ? null : await beginTrial(this.em, trialId)
    if (!trial) return
    const source = sourceOf(trial)
    let keeping: Promise<unknown> = Promise.resolve()
    const outcome = await this.attempt(async () => this.inChild({
      kind: 'trial', input: await this.inputOf(source), facts: deliveredFacts(source.facts!, trial.treatment), ...await this.withAssets(trial), moments: trial.moments, skip: trial.results.flatMap((result, index) => result ? [index] : []),
      directory: await trialDirectory(trial.volume.getEntity() as VolumeRow, trialId), sourceId: source.id,
    }, (report, task) => {
      keeping = keeping.then(async () => {
        const isThere = await this.persist(async () => report.say === 'look' ? keepTrialLooks(this.em, trialId, report.looks) : report.say === 'moment' ? keepTrialMoment(this.em, trialId, report.index, report.result) : true)
        if (!isThere) task.stop()
      }).catch((error: Error) => this.options.log.error({ trial: trialId, error: error.message }, 'a moment of a trial could not be kept'))
    }))
    await keeping
    if (outcome.say === 'failed') await this.persist(() => keepTrialFailure(this.em, trialId, outcome.reason))
  }

  /** Spec and treatment of a row, whose tables and pictures lie where its steps look for them. */
  private async withAssets(row: Parameters<typeof planOf>[0]): Promise<Planned> {
    await provideAssets(row.treatment, assetBytes(this.em))
    return planOf(row)
  }

  private async attempt(work: () => Promise<Outcome>): Promise<Outcome> {
    try {
      return await work()
    } catch (error) {
      if (error instanceof VolumeProblem || error instanceof MissingAsset) return { say: 'failed', reason: error.message }
      throw error
    }
  }

  /** Removes the files of trials that are gone, and pictures of sources that have none left. */
  private async tidyTrials(volume: VolumeRow): Promise<void> {
    try {
      const directory = path.dirname(await trialDirectory(volume, 0))
      const names = await readdir(directory).catch(() => [])
      const ids = names.flatMap(name => /^\d+$/.test(name) ? [Number(name)] : [])
      const known = await knownTrials(this.em, ids)
      for (const id of ids) if (!known.has(id)) await rm(path.join(directory, String(id)), { recursive: true, force: true })
      const tried = await triedSources(this.em)
      for (const name of names) {
        const sourceId = /^source-(\d+)-/.exec(name)?.[1]
        if (sourceId && !tried.has(Number(sourceId))) await rm(path.join(directory, name), { force: true })
      }
    } catch (error) {
      this.options.log.warn({ volume: volume.name, error: (error as Error).message }, 'the trials of a volume could not be tidied')
    }
  }

  /** Removes what lost workers left in the work directories: files of jobs that are not running, held or about to be placed, and images of copies that are over. */
  private async tidy(): Promise<void> {
    this.tidiedAt = Date.now()
    for (const volume of await listVolumes(this.em)) {
      if (volume.role !== 'source') await this.tidyTrials(volume)
      if (volume.role === 'working') continue
      try {
        if (volume.role === 'source') {
          await removeLeftCopies(this.em, volume)
          await removeAbandonedUploads(volume)
          continue
        }
        const directory = await workDirectory(volume)
        const names = await readdir(directory)
        for (const name of names) {
          const [, file, id, attempt] = /^(job-(\d+)-(\d+)\.[a-z0-9]+)(\..*)?$/.exec(name) ?? []
          // What is finished waits for its job to be taken up again.
          const isFinished = names.includes(`${file}.finished.json`) && await isOpen(this.em, Number(id))
          if (file && !isFinished && !await needsTemporary(this.em, Number(id), Number(attempt))) await rm(path.join(directory, name), { force: true })
        }
      } catch (error) {
        this.options.log.warn({ volume: volume.name, error: (error as Error).message }, 'the work directory of a volume could not be tidied')
      }
    }
  }
}
