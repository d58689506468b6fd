import { rm } from 'node:fs/promises'
import path from 'node:path'
import { deliveredFacts, judge, MissingAsset, planOf, progressOf, treatedSeconds, type Check } from '@hematine/core'
import { assetBytes, beginPlacing, deliveryVolumeOf, failJob, keepProgress, letGo, loseJob, sourceName, sourceOf, sourceVolumeOf, stateInHand, type Database, type JobRow, type SampleRow } from '@hematine/database'
import { provideAssets } from '@hematine/media/assets'
import { sourceInput } from '@hematine/media/source-input'
import { identityOf, VolumeProblem, workDirectory } from '@hematine/media/volume-files'
import { brokeOffSentence, TaskProcess } from './child-process.ts'
import type { Report, Stage } from './messages.ts'
import { freeName, placeResult } from './placing.ts'
import type { Pausable, Turnstile } from './turnstile.ts'

/** Least time between two writes of a job's progress. */
const writeEveryMilliseconds = 500
/** A finished file whose job is held looks this often for what was decided. */
const decisionEveryMilliseconds = 200

/** One job in this worker's hands, from its start to its place among the results. */
export class JobRun implements Pausable {
  private process: TaskProcess | null = null
  private heldByPerson = false
  private heldForMeasuring = false
  private stopping = false
  private lastWrite = 0
  private lastStage: Stage | null = null
  private writing: Promise<unknown> = Promise.resolve()
  /** Resolves when nothing more will be done for this job here. */
  readonly ended: Promise<void>

  constructor(
    readonly job: JobRow,
    private readonly database: Database,
    private readonly workerId: string,
    turnstile: Turnstile,
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

  private async run(): Promise<void> {
    const { job, database, workerId } = this
    const fail = (reason: string, check: Check | null = null) => failJob(database.em.fork(), job.id, job.attempt, workerId, reason, check)
    let temporary: string | null = null
    try {
      const source = sourceOf(job)
      const volume = deliveryVolumeOf(job)
      const input = await sourceInput(source, sourceVolumeOf(source).path)
      if (await identityOf(input) !== source.identity) return await fail('The source has changed since it was read. Read it again, then make the job anew.')
      temporary = path.join(await workDirectory(volume.path), `job-${job.id}-${job.attempt}.${job.spec.container}`)
      await rm(temporary, { force: true })
      await provideAssets(job.treatment, assetBytes(database.em.fork()))
      this.process = new TaskProcess({ kind: 'job', input, facts: deliveredFacts(source.facts!, job.treatment), ...planOf(job), outputPath: temporary }, report => { if (report.say === 'progress') this.progress(report) })
      this.apply()
      if (this.stopping) this.process.stop()
      const outcome = await this.process.outcome
      await this.writing
      if (outcome.say === 'stopped') return await letGo(database.em.fork(), job.id, job.attempt, workerId)
      if (outcome.say === 'broke off') {
        if (!await loseJob(database.em.fork(), job.id, job.attempt, workerId, `its process was ${outcome.how}`)) await fail(brokeOffSentence(outcome.how))
        return
      }
      if (outcome.say === 'failed') return await fail(outcome.reason)
      if (outcome.say !== 'job') return await fail('The work ended without a result. Try again.')

      const check = judge(outcome.measurement, job.spec, job.treatment, { facts: source.facts!, findings: source.findings ?? [] })
      if (check.verdict === 'fail') return await fail(check.lines.find(line => line.verdict === 'fail')!.reason!, check)
      const outputPath = await freeName(volume.path, sourceName(source), job.spec)
      if (!await this.beginPlacing({ check, temporaryPath: path.basename(temporary), outputPath, workSeconds: outcome.workSeconds })) return
      temporary = null
      await placeResult(database.em.fork(), job.id)
    } catch (error) {
      await fail(error instanceof VolumeProblem || error instanceof MissingAsset ? error.message : `The job could not be done: ${(error as Error).message}`)
    } finally {
      if (temporary) await rm(temporary, { force: true }).catch(() => undefined)
    }
  }

  /** Goes over to placing. Held at the very last moment, the finished file waits here until that is decided. @returns false when it was cancelled or lost */
  private async beginPlacing(result: Parameters<typeof beginPlacing>[4]): Promise<boolean> {
    const { database, job, workerId } = this
    for (;;) {
      const em = database.em.fork()
      if (await beginPlacing(em, job.id, job.attempt, workerId, result)) return true
      const state = await stateInHand(em, job.id, job.attempt, workerId)
      if (this.stopping || (state !== 'held' && state !== 'waiting')) {
        await letGo(em, job.id, job.attempt, workerId)
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
    const seconds = (key: 'encodeSeconds' | 'checkSeconds') => (measurement!.soundWindows ?? measurement!.windows).reduce((sum, window) => sum + window[key], 0)
    const { result } = job.treatment
    const progress = progressOf({
      ...report, ...(result ? { total: result.frameCount, rate: result.rate } : { total: Math.round(treatedSeconds(job.treatment) * 1000), rate: null }),
      checkPerEncode: measurement ? seconds('checkSeconds') / seconds('encodeSeconds') : null,
    })
    this.writing = this.writing.then(() => keepProgress(this.database.em.fork(), job.id, job.attempt, this.workerId, progress)).catch(() => undefined)
  }
}
