import type { EntityManager } from '@mikro-orm/postgresql'
import {
  basisOf,
  calibrationOf,
  leastOutcomes,
  mostOutcomes,
  promise,
  specTitle,
  type Basis,
  type Calibrations,
  type ForecastGround,
  type ForecastOutcome,
  type Promised,
} from '@hematine/core'
import { forecastSeed, sourceName } from './as-records.ts'
import {
  CalibrationEntity,
  OutcomeEntity,
  type JobRow,
  type OutcomeRow,
  type SampleRow,
  type SourceRow,
} from './entities.ts'
import { likeRatesOf } from './samples.ts'
import { run } from './sql.ts'

/** Ranges are made anew when so many more results of a kind are there, a tenth of them: what people see does not move with each. */
const resultsApart = (results: number) => Math.min(20, Math.max(5, Math.floor(results / 10)))

/** How forecasts of each kind of work did, where enough of it is finished. */
export async function calibrationsOf(em: EntityManager): Promise<Calibrations> {
  const rows = await em.fork().find(CalibrationEntity, {})
  return new Map(rows.map(row => [row.kind, row.calibration]))
}

/** What the forecasts of some jobs are made of. @param jobs with their samples loaded */
export async function groundOf(em: EntityManager, jobs: readonly JobRow[]): Promise<ForecastGround> {
  const keys = jobs.flatMap(job => (job.sample?.getEntity() as SampleRow | undefined)?.likeKey ?? [])
  return { rates: await likeRatesOf(em, keys), calibrations: await calibrationsOf(em) }
}

/** What a job that is begun is forecast to take; null while nothing is known. @param job with its sample loaded */
export async function promiseOf(em: EntityManager, job: JobRow): Promise<Promised | null> {
  const seed = forecastSeed(job)
  return seed ? promise(seed, await groundOf(em, [job])) : null
}

/** How often jobs were begun, and how many of these beginnings were for nothing: the worker or its process was lost, the worker was ended, or a volume was away. */
export async function repeatsOf(em: EntityManager): Promise<{ begun: number; lost: number }> {
  const [row] = await run<{ begun: number; lost: number }>(
    em,
    `select count(*) filter (where event = 'start')::int as begun, count(*) filter (where event = 'lose' and from_state = 'running')::int as lost from job_event`,
  )
  return row!
}

/** Holds a job that is done against what was forecast of it, where anything was. */
export async function keepOutcome(tx: EntityManager, job: JobRow): Promise<void> {
  const { promised, check, workSeconds, finishedAt } = job
  if (!promised || !check || typeof workSeconds !== 'number') return
  await tx.populate(job, ['source'] as never)
  const { kind, forecast, raw } = promised
  const basis = basisOf(kind)
  tx.create(OutcomeEntity, {
    jobId: job.id,
    sourceName: sourceName(job.source.getEntity() as SourceRow),
    specName: specTitle(job.spec),
    kind,
    basis,
    heldAgainst: forecast.heldAgainst ?? null,
    finishedAt: finishedAt!,
    seconds: { raw: raw.seconds, said: forecast.seconds, took: workSeconds },
    bytes: { raw: raw.bytes, said: forecast.bytes, took: check.measurement.bytes },
  })
  await tx.flush()
  await calibrate(tx, { kind }, kind)
  await calibrate(tx, { basis }, basis)
}

/** Works out what results say of forecasts of their like, where enough came since that was done. @param name that it is kept under */
async function calibrate(tx: EntityManager, like: { kind: string } | { basis: Basis }, name: string): Promise<void> {
  const results = await tx.count(OutcomeEntity, like)
  const before = await tx.findOne(CalibrationEntity, { kind: name })
  if (results < (before ? before.results + resultsApart(before.results) : leastOutcomes)) return
  const newest = await tx.find(OutcomeEntity, like, { orderBy: { id: -1 }, limit: mostOutcomes })
  const calibration = calibrationOf(newest.reverse())
  // Two jobs that end at once may both come here: the later one counts.
  if (calibration) await tx.upsert(CalibrationEntity, { kind: name, results, calibration, madeAt: new Date() })
}

/** Results against their forecasts, newest first. */
export async function listOutcomes(em: EntityManager, limit: number): Promise<ForecastOutcome[]> {
  return (await em.find(OutcomeEntity, {}, { orderBy: { id: -1 }, limit })).map(outcomeRecord)
}

/** How many results are kept. */
export async function countOutcomes(em: EntityManager): Promise<number> {
  return em.count(OutcomeEntity, {})
}

function outcomeRecord({ id, jobId, sourceName, specName, kind, finishedAt, ...row }: OutcomeRow): ForecastOutcome {
  const told = ({ said, took }: OutcomeRow['seconds']) => ({ said, took })
  return {
    id,
    jobId,
    sourceName,
    specName,
    kind,
    heldAgainst: row.heldAgainst ?? null,
    finishedAt: finishedAt.toISOString(),
    seconds: told(row.seconds),
    bytes: told(row.bytes),
  }
}
