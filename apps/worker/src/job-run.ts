import path from 'node:path'
import {
  deliveredFacts,
  judge,
  MissingAsset,
  progressOf,
  treatedSeconds,
  type Check,
  type DeliverySpec,
  type SampleMeasurement,
  type WorkStage,
} from '@hematine/core'
import {
  beginPlacing,
  deliveryVolumeOf,
  failJob,
  isAway,
  isOpen,
  keepProgress,
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
  type VolumeRow,
} from '@hematine/database'
import { answering } from '@hematine/media/volumes/answering'
import {
  identityOf,
  makeFolder,
  spaceOfVolume,
  VolumeProblem,
  workDirectory,
} from '@hematine/media/volumes/volume-files'
import { TaskProcess, type SpareProcess } from './child-process.ts'
import { findFinished, leaveNote, removeFinished, workFingerprint } from './finished.ts'
import { inputOf, withAssets } from './inputs.ts'
import type { Report } from './messages.ts'
import { freeName, placeResult } from './placing.ts'
import type { Pausable, Turnstile } from './turnstile.ts'

/** Least time between two writes of a job's progress. */
const writeEveryMilliseconds = 500
/** A finished file whose job is held looks this often for what was decided. */
const decisionEveryMilliseconds = 200

/** A source is looked at this often while a job works from it; seldomer where looking takes long, as with a hundred thousand frames. */
const lookAtSourceMilliseconds = 20_000
const mostPartOfLooking = 1 / 50

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

/** The sentence for a volume that is gone, which a process that only sees files would blame on a file. */
async function volumeProblem(source: VolumeRow, delivery: VolumeRow): Promise<string | null> {
  for (const [volume, mustWrite] of [
    [source, false],
    [delivery, true],
  ] as const) {
    const { problem } = await spaceOfVolume(volume, mustWrite)
    if (problem) return problem.includes(volume.name) ? problem : `${volume.name}: ${problem}`
  }
  return null
}

/** Looks at a source now and then until it is told to end. @returns ends it, and tells whether the source has changed */
function watchSource(hasChanged: () => Promise<boolean>, onChange: () => void): () => boolean {
  let changed = false
  let timer: NodeJS.Timeout | undefined
  let wait = lookAtSourceMilliseconds
  const look = () => {
    timer = setTimeout(async () => {
      const begun = Date.now()
      changed = await hasChanged().catch(() => false)
      wait = Math.max(lookAtSourceMilliseconds, (Date.now() - begun) / mostPartOfLooking)
      if (changed) onChange()
      else if (timer) look()
    }, wait)
  }
  look()
  return () => {
    clearTimeout(timer)
    timer = undefined
    return changed
  }
}

/** One job in this worker's hands, from its start to its place among the results. */
export class JobRun implements Pausable {
  private process: TaskProcess | null = null
  private heldByPerson = false
  private heldForMeasuring = false
  private stopping = false
  private lastWrite = 0
  private lastStage: WorkStage | null = null
  private writing: Promise<unknown> = Promise.resolve()
  /** Resolves when nothing more will be done for this job here. */
  readonly ended: Promise<void>

  constructor(
    readonly job: JobRow,
    private readonly database: Database,
    private readonly workerId: string,
    turnstile: Turnstile,
    private readonly spare: SpareProcess | null = null,
  ) {
    const leave = turnstile.join(this)
    this.ended = this.run().finally(leave)
  }

  get isHeld(): boolean {
    return this.heldByPerson
  }

  get isStopping(): boolean {
    return this.stopping
  }

  pause(): void {
    this.heldForMeasuring = true
    this.apply()
  }

  goOn(): void {
    this.heldForMeasuring = false
    this.apply()
  }

  hold(): void {
    this.heldByPerson = true
    this.apply()
  }

  resume(): void {
    this.heldByPerson = false
    this.apply()
  }

  /** Stops the work and removes what it wrote; the job's state is the caller's matter. */
  stop(): void {
    this.stopping = true
    this.heldByPerson = false
    this.process?.stop()
  }

  private apply(): void {
    if (this.heldByPerson || this.heldForMeasuring) this.process?.pause()
    else this.process?.goOn()
  }

  /** Writes to the database for as long as it takes; a worker that leaves gives up, and its job is given to others. */
  private persist<Result>(work: (em: EntityManager) => Promise<Result>, retries = isAway): Promise<Result> {
    return patiently(() => work(this.database.em.fork()), { retries, givesUp: () => this.stopping })
  }

  private async run(): Promise<void> {
    const { job, database, workerId } = this
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
        const input = await inputOf(database.em.fork(), source)
        const identityNow = () => answering(sourceVolume.path, () => identityOf(input)).catch(asGone)
        // Of a sequence that was read before its gaps and rate counted, what it is now is where it starts from.
        const known = job.identity ?? source.identity ?? (await identityNow())
        const hasChanged = async () => (await identityNow()) !== known
        if (await hasChanged())
          return await fail('The source has changed since it was read. Read it again, then make the job anew.')
        // A folder that cannot be used costs a sentence now, and not a night.
        await makeFolder(volume.path, path.dirname(planned))
        await removeFinished(directory, file)
        const plan = await withAssets(database.em.fork(), job)
        this.process = new TaskProcess(
          {
            kind: 'job',
            input,
            facts: deliveredFacts(facts, job.treatment),
            ...plan,
            outputPath: path.join(directory, file),
            itemName: sourceName(source),
          },
          report => {
            if (report.say === 'progress') this.progress(report)
          },
          this.spare,
        )
        this.apply()
        if (this.stopping) this.process.stop()
        const endWatch = watchSource(hasChanged, () => this.process?.stop())
        const outcome = await this.process.outcome
        const changedMeanwhile = endWatch()
        await this.writing
        if (changedMeanwhile || (outcome.say === 'job' && (await hasChanged())))
          return await fail(
            'The source changed while the job ran, so its result was not kept. Read it again, then make the job anew.',
          )
        if (outcome.say === 'stopped') return await this.persist(em => letGo(em, job.id, job.attempt, workerId))
        if (outcome.say === 'broke off')
          return await this.persist(em => loseJob(em, job.id, job.attempt, workerId, `its process was ${outcome.how}`))
        if (outcome.say === 'failed') {
          const gone = await volumeProblem(sourceVolume, volume)
          if (gone !== null) return await postpone(gone)
          // Source and disks are there, and a file was not: a disk was away for a moment. That is tried again a few times.
          if (outcome.isAway && !(await hasChanged()))
            return await this.persist(em =>
              loseJob(em, job.id, job.attempt, workerId, 'a file was not there for a moment'),
            )
          return await fail(outcome.reason)
        }
        if (outcome.say !== 'job') return await fail('The work ended without a result. Try again.')
        finished = {
          jobId: job.id,
          work: workFingerprint(job),
          file,
          measurement: outcome.measurement,
          workSeconds: outcome.workSeconds,
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
      const outputPath = await freeName(volume.path, planned, job.spec)
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
      if (directory && !isFinished) await removeFinished(directory, file).catch(() => undefined)
    }
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

  private progress(report: Extract<Report, { say: 'progress' }>): void {
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
    })
    this.writing = this.writing
      .then(() => keepProgress(this.database.em.fork(), job.id, job.attempt, this.workerId, progress))
      .catch(() => undefined)
  }
}
