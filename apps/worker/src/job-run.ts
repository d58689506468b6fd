import path from 'node:path'
import {
  deliveredFacts,
  filesBesideOf,
  judge,
  MissingAsset,
  progressOf,
  treatedSeconds,
  type Check,
  type DeliverySpec,
  type SampleMeasurement,
  type SegmentLength,
  type PlannedUnit,
  type UnitsSoFar,
  type WorkStage,
} from '@hematine/core'
import {
  beginPlacing,
  deliveryVolumeOf,
  failJob,
  forgetUnits,
  isAway,
  isOpen,
  keepProgress,
  keepWhole,
  letGo,
  loseJob,
  patiently,
  plannedPathOf,
  postponeJob,
  sourceName,
  sourceOf,
  sourceVolumeOf,
  stateInHand,
  type Database,
  type EntityManager,
  type JobRow,
  type SampleRow,
  type TaskQueue,
} from '@hematine/database'
import { answering } from '@hematine/media/volumes/answering'
import { checkFolders, identityOf, VolumeProblem, workDirectory } from '@hematine/media/volumes/volume-files'
import { stoodStill, TaskProcess, type Outcome, type SpareProcess } from './child-process.ts'
import type { GivenDevice } from './devices.ts'
import { findFinished, leaveNote, removeAllOf, removeFinished, workFingerprint } from './finished.ts'
import { inputOf, withAssets } from './inputs.ts'
import type { Assignment, Report } from './messages.ts'
import { freeName, placeResult } from './placing.ts'
import { volumeProblem } from './volume-problem.ts'
import { haveUnitsMade, plannedUnits, type InUnits } from './units.ts'
import type { Pausable, Turnstile } from './turnstile.ts'

type JobAssignment = Extract<Assignment, { kind: 'job' }>

/** Least time between two writes of a job's progress. */
const writeEveryMilliseconds = 500
/** A finished file whose job is held looks this often for what was decided. */
const decisionEveryMilliseconds = 200

/** A source is looked at this often while a job works from it; seldomer where looking takes long, as with a hundred thousand frames. */
const lookAtSourceMilliseconds = 20_000
const mostPartOfLooking = 1 / 50

const changedMeanwhile =
  'The source changed while the job ran, so its result was not kept. Read it again, then make the job anew.'

/** How what comes before the encode compares to it, as a sample saw it; about as long, where nothing was measured. */
function aheadPerEncode(
  { video }: DeliverySpec,
  frames: number,
  measurement: SampleMeasurement | null | undefined,
): number {
  if (video?.rateControl.kind !== 'size cap' && video?.rateControl.kind !== 'quality target') return 0
  const windows = measurement?.windows ?? []
  const sum = (key: 'firstPassSeconds' | 'encodeSeconds') =>
    windows.reduce((all, window) => all + (window[key] ?? 0), 0)
  if (windows.length === 0) return 1
  const sampled = windows.reduce((all, window) => all + window.frames, 0)
  return (
    (sum('firstPassSeconds') + (measurement!.searchSeconds ?? 0) * (sampled / Math.max(1, frames))) /
    sum('encodeSeconds')
  )
}

/** What a source that cannot be found is like: not as it was. One whose disk does not answer is another matter. */
function asGone(error: unknown): null {
  if (error instanceof VolumeProblem || (error as NodeJS.ErrnoException).code === undefined) throw error
  return null
}

/** Looks at a source now and then until it has changed. @returns ends that */
function watchSource(hasChanged: () => Promise<boolean>, onChange: () => void): () => void {
  let timer: NodeJS.Timeout | undefined
  let wait = lookAtSourceMilliseconds
  const look = () => {
    timer = setTimeout(async () => {
      const begun = Date.now()
      const changed = await hasChanged().catch(() => false)
      wait = Math.max(lookAtSourceMilliseconds, (Date.now() - begun) / mostPartOfLooking)
      if (changed) onChange()
      else if (timer) look()
    }, wait)
  }
  look()
  return () => {
    clearTimeout(timer)
    timer = undefined
  }
}

/** What a worker lends to a job that runs in it. */
export interface JobHands {
  database: Database
  queue: TaskQueue
  workerId: string
  turnstile: Turnstile
  /** How much work a segment of a job is to be. */
  segmentLength: SegmentLength
  /** The session of a graphics device that it encodes in; null where the processor does. */
  onDevice: GivenDevice | null
  /** Told that the device did not do what it was asked. */
  onTrouble(device: string, reason: string): void
  /** Told that a lane became free, or is waited for. */
  onLane(): void
  spare: SpareProcess | null
}

/** One job in this worker's hands, from its start to its place among the results. */
export class JobRun implements Pausable {
  private process: TaskProcess | null = null
  private heldByPerson = false
  private isPaused = false
  private stopping = false
  private lastWrite = 0
  private lastStage: WorkStage | null = null
  private writing: Promise<unknown> = Promise.resolve()
  private sourceChanged = false
  /** Whether it takes up a lane: not while its units are made, which take up theirs. */
  private inLane = true
  private grant: (() => void) | null = null
  /** Whether no unit is left that no lane has. */
  private isLast = false
  private segments: Pick<UnitsSoFar, 'done' | 'total' | 'awaitsSound' | 'lanes'> | undefined
  /** When counting frames of segments was begun, and at how many; below 0 for what the next look finds. */
  private counted = { since: 0, frames: -1 }
  /** Resolves when nothing more will be done for this job here. */
  readonly ended: Promise<void>

  constructor(
    readonly job: JobRow,
    private readonly hands: JobHands,
  ) {
    const leave = hands.turnstile.join(this, 'measurements and hours')
    this.ended = this.run().finally(leave)
  }

  private get workerId(): string {
    return this.hands.workerId
  }

  private get em(): EntityManager {
    return this.hands.database.em.fork()
  }

  get isHeld(): boolean {
    return this.heldByPerson
  }

  get takesLane(): boolean {
    return this.inLane && !this.heldByPerson
  }

  /** Whether its units are all there, or in lanes: it will want the next one that is free. */
  get wantsLaneNext(): boolean {
    return !this.inLane && !this.heldByPerson && this.isLast
  }

  /** Whether all its units are there and it could go on in a lane. */
  get waitsForLane(): boolean {
    return this.grant !== null
  }

  takeLane(): void {
    this.inLane = true
    this.grant?.()
    this.grant = null
  }

  get isStopping(): boolean {
    return this.stopping
  }

  pause(): void {
    this.isPaused = true
    this.apply()
  }

  goOn(): void {
    this.isPaused = false
    this.countAnew()
    this.apply()
  }

  hold(): void {
    this.heldByPerson = true
    this.apply()
  }

  resume(): void {
    this.heldByPerson = false
    this.countAnew()
    this.apply()
  }

  private countAnew(): void {
    this.counted = { since: performance.now(), frames: -1 }
  }

  /** Stops the work and removes what it wrote; the job's state is the caller's matter. */
  stop(): void {
    this.stopping = true
    this.heldByPerson = false
    this.process?.stop()
    this.takeLane()
  }

  private apply(): void {
    if (this.heldByPerson || this.isPaused) this.process?.pause()
    else this.process?.goOn()
  }

  /** Writes to the database for as long as it takes; a worker that leaves gives up, and its job is given to others. */
  private persist<Result>(work: (em: EntityManager) => Promise<Result>, retries = isAway): Promise<Result> {
    return patiently(() => work(this.em), { retries, givesUp: () => this.stopping })
  }

  private async run(): Promise<void> {
    const { job, workerId } = this
    const fail = (reason: string, check: Check | null = null) =>
      this.persist(em => failJob(em, job.id, job.attempt, workerId, reason, check))
    const postpone = (reason: string) => this.persist(em => postponeJob(em, job.id, job.attempt, workerId, reason))
    const file = `job-${job.id}-${job.attempt}.${job.spec.container}`
    let directory: string | null = null
    // What is finished stays until its job is over, whatever the database says meanwhile.
    let isFinished = false
    const source = sourceOf(job)
    const volume = deliveryVolumeOf(job)
    const sourceVolume = sourceVolumeOf(source)
    try {
      const facts = job.facts ?? source.facts!
      directory = await workDirectory(volume)
      const planned = plannedPathOf(job)
      let finished = await findFinished(directory, job)
      if (!finished) {
        const input = await inputOf(this.em, source)
        const identityNow = () => answering(sourceVolume.path, heard => identityOf(input, heard)).catch(asGone)
        // Of a sequence that was read before its gaps and rate counted, what it is now is where it starts from.
        const known = job.identity ?? source.identity ?? (await identityNow())
        const hasChanged = async () => (await identityNow()) !== known
        if (await hasChanged())
          return await fail('The source has changed since it was read. Read it again, then make the job anew.')
        // A folder that cannot be used costs a sentence now, and not a night.
        await checkFolders(volume.path, path.dirname(planned))
        await removeFinished(directory, file)
        const plan = await withAssets(this.em, job)
        const assignment: JobAssignment = {
          kind: 'job',
          input,
          facts: deliveredFacts(facts, job.treatment),
          ...plan,
          outputPath: path.join(directory, file),
          itemName: sourceName(source),
          onDevice: this.hands.onDevice,
        }
        const endWatch = watchSource(hasChanged, () => {
          this.sourceChanged = true
          this.process?.stop()
        })
        const { outcome, workSeconds } = await this.perform(assignment, directory).finally(endWatch)
        await this.writing
        if (this.sourceChanged || (outcome.say === 'job' && (await hasChanged()))) return await fail(changedMeanwhile)
        if (outcome.say === 'stopped') return await this.persist(em => letGo(em, job.id, job.attempt, workerId))
        if (outcome.say === 'broke off')
          return await this.persist(em => loseJob(em, job.id, job.attempt, workerId, `its process was ${outcome.how}`))
        if (outcome.say === 'failed') {
          if (outcome.device) {
            this.hands.onTrouble(outcome.device, outcome.reason)
            return await postpone(outcome.reason)
          }
          const gone = await volumeProblem(sourceVolume, volume)
          if (gone !== null) return await postpone(gone)
          // Source and disks are there, and a file was not: a disk was away for a moment. That is tried again a few times.
          if (outcome.isAway && !(await hasChanged()))
            return await this.persist(em =>
              loseJob(
                em,
                job.id,
                job.attempt,
                workerId,
                outcome.reason === stoodStill
                  ? 'its process did nothing for a minute'
                  : 'a file was not there for a moment',
              ),
            )
          return await fail((await hasChanged()) ? changedMeanwhile : outcome.reason)
        }
        if (outcome.say !== 'job') return await fail('The work ended without a result. Try again.')
        finished = {
          jobId: job.id,
          work: workFingerprint(job),
          file,
          measurement: outcome.measurement,
          workSeconds: workSeconds + outcome.workSeconds,
        }
      }

      const check = judge(finished.measurement, job.spec, job.treatment, {
        facts,
        findings: job.findings ?? source.findings ?? [],
        name: sourceName(source),
      })
      if (check.verdict === 'fail') {
        await removeFinished(directory, finished.file)
        return await fail(check.lines.find(line => line.verdict === 'fail')!.reason!, check)
      }
      await leaveNote(directory, finished)
      isFinished = true
      const beside = filesBesideOf(finished.measurement)
      const outputPath = await freeName(volume.path, planned, job.spec, beside)
      if (
        !(await this.beginPlacing({
          check,
          temporaryPath: finished.file,
          outputPath,
          workSeconds: finished.workSeconds,
        }))
      ) {
        // Cancelled, or another worker's: nobody will ask for it. One that is held or waits is found again.
        isFinished = await this.persist(em => isOpen(em, job.id))
        return
      }
      // From here on the job is being placed: whatever goes wrong is tried again, by this worker or the next.
      await this.persist(em => placeResult(em, job.id))
    } catch (error) {
      if (isFinished) throw error
      const gone =
        error instanceof VolumeProblem && error.code === 'away'
          ? error.message
          : await volumeProblem(sourceVolume, volume)
      if (gone !== null) return await postpone(gone)
      if (error instanceof VolumeProblem || error instanceof MissingAsset) return await fail(error.message)
      await fail(
        "The job could not be done for a reason that Hematine does not know; the worker's log says more. Try again.",
      )
      throw error
    } finally {
      if (directory && !isFinished) await this.removeFiles(directory, file).catch(() => undefined)
    }
  }

  /** Removes what this attempt wrote; of a job that is over, its units too. */
  private async removeFiles(directory: string, file: string): Promise<void> {
    await removeFinished(directory, file)
    if (!(await isOpen(this.em, this.job.id))) await removeAllOf(directory, this.job.id)
  }

  /**
   * Does the work: in one go, or in units that any lane makes and that are joined here. Where they do not fit together, in one go after all.
   * @returns what came of it, and the seconds of work that others had with it
   */
  private async perform(
    assignment: JobAssignment,
    directory: string,
  ): Promise<{ outcome: Outcome; workSeconds: number }> {
    const { segmentLength } = this.hands
    const planned = await this.persist(em => plannedUnits(em, this.job, assignment, assignment.facts, segmentLength))
    if (planned.length === 0) return { outcome: await this.inProcess(assignment), workSeconds: 0 }
    for (let isAgain = false; ; isAgain = true) {
      const units = await this.inUnits(planned, directory)
      if (units.kind === 'over') return { outcome: { say: 'stopped' }, workSeconds: 0 }
      if (units.kind === 'failed')
        return { outcome: { say: 'failed', reason: units.reason, isAway: units.isAway }, workSeconds: 0 }
      const { made, workSeconds } = units
      const outcome = await this.inProcess({ ...assignment, made })
      const problem = outcome.say === 'failed' ? outcome.problem : undefined
      if (!problem || (problem === 'working file' && isAgain)) return { outcome, workSeconds }
      await removeFinished(directory, path.basename(assignment.outputPath))
      if (problem === 'seam') {
        await this.persist(em => keepWhole(em, this.job.id, (outcome as { reason: string }).reason))
        this.segments = undefined
        return { outcome: await this.inProcess(assignment), workSeconds: 0 }
      }
      await this.persist(em => forgetUnits(em, this.job.id))
    }
  }

  /** Has the units made, out of any lane once lanes can take them, and comes back into one. */
  private async inUnits(planned: readonly PlannedUnit[], directory: string): Promise<InUnits> {
    const { job, workerId, hands } = this
    this.isLast = false
    this.countAnew()
    const made = await haveUnitsMade(
      {
        job,
        workerId,
        queue: hands.queue,
        directory,
        persist: work => this.persist(work),
        stands: () =>
          this.stopping || this.sourceChanged ? 'over' : this.heldByPerson || this.isPaused ? 'held' : 'goes on',
        onProgress: soFar => this.unitProgress(soFar),
        // Not before: its lane would be taken by the next job, and then by its units.
        onAsked: () => {
          if (!this.inLane) return
          this.inLane = false
          hands.onLane()
        },
      },
      planned,
    )
    // Units that were all there from the beginning left its lane to it.
    if (made.kind !== 'over' && !this.stopping && !this.inLane)
      await new Promise<void>(resolve => {
        this.grant = resolve
        hands.onLane()
      })
    this.inLane = true
    return made
  }

  private async inProcess(assignment: JobAssignment): Promise<Outcome> {
    this.process = new TaskProcess(
      assignment,
      report => {
        if (report.say === 'progress') this.progress(report)
      },
      this.hands.spare,
    )
    this.apply()
    if (this.stopping || this.sourceChanged) this.process.stop()
    return this.process.outcome
  }

  /** How far the segments are together, by the clock since they were begun here or went on. */
  private unitProgress({ framesDone, done, total, awaitsSound, lanes, open }: UnitsSoFar): void {
    const { counted } = this
    this.isLast = open === 0
    if (counted.frames < 0) counted.frames = framesDone
    this.segments = { done, total, awaitsSound, lanes }
    const seconds = (performance.now() - counted.since) / 1000
    const here = framesDone - counted.frames
    this.progress({
      stage: 'encode',
      done: framesDone,
      bytesWritten: 0,
      // What was done before this was begun is taken for as fast.
      stageSeconds: here > 0 ? (seconds * framesDone) / here : 0,
      encodeSeconds: null,
    })
  }

  /** Goes over to placing. Held at the very last moment, the finished file waits here until that is decided. @returns false when it was cancelled or lost */
  private async beginPlacing(result: Parameters<typeof beginPlacing>[4]): Promise<boolean> {
    const { job, workerId } = this
    // Whatever the database has against it, the result is whole and checked: it is tried again until it is taken, or the worker leaves.
    const persist = <Result>(work: (em: EntityManager) => Promise<Result>) => this.persist(work, () => true)
    for (;;) {
      if (await persist(em => beginPlacing(em, job.id, job.attempt, workerId, result))) return true
      const state = await persist(em => stateInHand(em, job.id, job.attempt, workerId))
      if (this.stopping || (state !== 'held' && state !== 'waiting')) {
        await persist(em => letGo(em, job.id, job.attempt, workerId))
        return false
      }
      await new Promise(resolve => setTimeout(resolve, decisionEveryMilliseconds))
    }
  }

  private progress(report: Omit<Extract<Report, { say: 'progress' }>, 'say'>): void {
    const now = Date.now()
    // A new stage is told at once.
    if (report.stage === this.lastStage && now - this.lastWrite < writeEveryMilliseconds) return
    this.lastWrite = now
    this.lastStage = report.stage
    const { job } = this
    const measurement = (job.sample?.getEntity() as SampleRow | undefined)?.measurement
    const seconds = (key: 'encodeSeconds' | 'checkSeconds') =>
      (measurement!.soundWindows ?? measurement!.windows).reduce((sum, window) => sum + window[key], 0)
    const { result } = job.treatment
    const progress = progressOf({
      ...report,
      ...(result
        ? { total: result.frameCount, rate: result.rate }
        : { total: Math.round(treatedSeconds(job.treatment) * 1000), rate: null }),
      checkPerEncode: measurement ? seconds('checkSeconds') / seconds('encodeSeconds') : null,
      aheadPerEncode: aheadPerEncode(job.spec, result?.frameCount ?? 0, measurement),
      ...(this.segments ? { segments: this.segments } : {}),
    })
    this.writing = this.writing
      .then(() => keepProgress(this.em, job.id, job.attempt, this.workerId, progress))
      .catch(() => undefined)
  }
}
