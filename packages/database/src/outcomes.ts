import type { EntityManager } from '@mikro-orm/postgresql'
import {
  basisOf,
  calibrationOf,
  leastOutcomes,
  mostOutcomes,
  OpenTime,
  promise,
  scaled,
  slowingOf,
  specTitle,
  type Basis,
  type BusyStretch,
  type Calibrations,
  type ForecastGround,
  type ForecastOutcome,
  type Promised,
} from '@hematine/core'
import { forecastSeed, jobName } from './as-records.ts'
import { CalibrationEntity, OutcomeEntity, type JobRow, type OutcomeRow, type SampleRow } from './entities.ts'
import { likeRatesOf } from './samples.ts'
import { run } from './sql.ts'
import { machineOf } from './machine.ts'

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

/** A job that is or was worked at: from when to when in seconds of the clock, and how many cores it keeps busy; none where nobody knows. */
interface JobAtWork {
  from: number
  to: number
  /** Null while it runs. */
  workSeconds: number | null
  busyCores: number | null
  lanes: number
}

/** @param most lanes that there are */
function stretchOf({ from, to, workSeconds, busyCores, lanes }: JobAtWork, most: number): BusyStretch {
  // In segments it has several lanes; on hold it has none.
  const atOnce = workSeconds === null ? lanes : to > from ? Math.min(most, workSeconds / (to - from)) : 1
  return { from, to, cores: (busyCores ?? 0) * atOnce }
}

/** How many times as long as alone a job took because of what ran beside it; 1 where it is not known how many cores there are, or how many it keeps busy. */
async function slowingOfJob(tx: EntityManager, job: JobRow): Promise<number> {
  const { startedAt, finishedAt, workSeconds, promised } = job
  const { lanes, cores, hours } = await machineOf(tx)
  const busyCores = promised?.forecast.busyCores
  if (!startedAt || !finishedAt || cores === null || busyCores === undefined) return 1
  const beside = await run<JobAtWork>(
    tx,
    `select extract(epoch from started_at)::double precision as "from",
       extract(epoch from coalesce(finished_at, now()))::double precision as "to",
       case when finished_at is not null then work_seconds end as "workSeconds",
       (promised #>> '{forecast,busyCores}')::double precision as "busyCores",
       coalesce((progress #>> '{segments,lanes}')::int, 1) as lanes
     from job where id <> ? and started_at < ? and (finished_at > ? or state in ('running', 'placing'))`,
    [job.id, finishedAt, startedAt],
  )
  const [from, to] = [startedAt.getTime() / 1000, finishedAt.getTime() / 1000]
  // Out of hours nobody works: what ran beside it did so in open time.
  const first = Math.min(from, ...beside.map(other => other.from))
  const time = new OpenTime(new Date(first * 1000), hours)
  const inOpenTime = (job: JobAtWork) =>
    stretchOf({ ...job, from: time.openOf(job.from - first), to: time.openOf(job.to - first) }, lanes)
  return slowingOf(
    inOpenTime({ from, to, workSeconds: workSeconds ?? null, busyCores, lanes: 1 }),
    beside.map(inOpenTime),
    cores,
  )
}

/** Holds a job that is done against what was forecast of it, where anything was. */
export async function keepOutcome(tx: EntityManager, job: JobRow): Promise<void> {
  const { promised, check, workSeconds, finishedAt } = job
  if (!promised || !check || typeof workSeconds !== 'number') return
  await tx.populate(job, ['source'] as never)
  const { kind, forecast, raw } = promised
  const basis = basisOf(kind)
  // Forecasts are of a machine of its own; what ran beside a job is not their fault.
  const slowing = await slowingOfJob(tx, job)
  tx.assign(job, { promised: { ...promised, forecast: { ...forecast, slowing } } })
  tx.create(OutcomeEntity, {
    jobId: job.id,
    sourceName: jobName(job),
    specName: specTitle(job.spec),
    kind,
    basis,
    heldAgainst: forecast.heldAgainst ?? null,
    finishedAt: finishedAt!,
    seconds: { raw: scaled(raw.seconds, slowing), said: scaled(forecast.seconds, slowing), took: workSeconds },
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
