import { createHash } from 'node:crypto'
import type { EntityManager } from '@mikro-orm/postgresql'
import {
  chooseStandIns,
  deliveredFacts,
  jobNeed,
  extentOf,
  forecastJob,
  likeRate,
  machineWith,
  planOf,
  standIns,
  unitsOf,
  whyWhole,
  type DeliverySpec,
  type JobExtent,
  type LikeRate,
  type SampleMeasurement,
  type SampleState,
  type Step,
  type Treatment,
} from '@hematine/core'
import { SampleEntity, WorkerEntity, type SampleRow, type SourceRow } from './entities.ts'
import { needing, type TaskQueue } from './queue.ts'
import { asArray, run } from './sql.ts'

/** Goes up when the way of measuring changes, so that older measurements are not mixed with new ones. */
const measuringVersion = 1

/** Hash of everything a measurement depends on, so that equal work is measured once. Names and purposes of specs do not count. */
export function sampleFingerprint(
  source: Pick<SourceRow, 'volume' | 'relativePath' | 'identity'>,
  treatment: Treatment,
  spec: DeliverySpec,
): string {
  const what = [
    measuringVersion,
    source.volume.id,
    source.relativePath,
    source.identity,
    treatment,
    spec.container,
    spec.video,
    spec.audio,
  ]
  return createHash('sha256').update(JSON.stringify(what)).digest('hex')
}

/** What a sample is wanted of. */
export interface SampleWish {
  source: SourceRow
  treatment: Treatment
  spec: DeliverySpec
  /** Steps that were chosen for its lot. */
  steps: readonly Step[]
}

/** Group of like work: sources of one lot, or of one shape where they are in none yet, under one spec and the same steps. */
function likeKeyOf({ source, spec, steps, treatment }: SampleWish): string {
  const video = source.facts?.video
  const audio = source.facts?.audio[0]
  const who = source.lot?.id ?? [
    video?.codec,
    video?.width,
    video?.height,
    video?.frameRate,
    audio?.codec,
    audio?.channels,
  ]
  return createHash('sha256')
    .update(
      JSON.stringify([
        measuringVersion,
        who,
        spec.container,
        spec.video,
        spec.audio,
        steps,
        // What is copied takes next to no time, and its neighbour that is encoded does.
        ...('copied' in treatment ? ['copied'] : []),
      ]),
    )
    .digest('hex')
}

/** Whether a job can be made in segments. */
function isDivisible({ source, treatment, spec }: SampleWish): boolean {
  return source.facts ? whyWhole(planOf({ treatment, spec }), deliveredFacts(source.facts, treatment)) === null : false
}

interface KeptSample {
  id: number
  fingerprint: string
  state: SampleState
  machine: string | null
}

/**
 * The samples for sources with their treatments and specs: those there are, and new ones. None is asked for yet: see `askForStandIns`.
 * One measured on a machine that none of today's workers has, or that failed, is to be measured again.
 * @returns their numbers, in the order of the wishes
 */
export async function ensureSamples(em: EntityManager, wishes: readonly SampleWish[]): Promise<number[]> {
  const fingerprints = wishes.map(({ source, treatment, spec }) => sampleFingerprint(source, treatment, spec))
  const entries = new Map(
    wishes.map((wish, index) => {
      const extent = { ...extentOf(wish), isDivisible: isDivisible(wish) }
      return [
        fingerprints[index]!,
        {
          fingerprint: fingerprints[index]!,
          source_id: wish.source.id,
          treatment: wish.treatment,
          spec: wish.spec,
          extent,
          like_key: likeKeyOf(wish),
          units: unitsOf(extent),
        },
      ]
    }),
  )
  const workers = await em.find(WorkerEntity, { goneAt: null }, { fields: ['machine', 'found'] })
  const machines = workers.flatMap(({ machine, found }) =>
    [null, ...found.devices].map(device => machineWith(machine, device)),
  )
  const kept = await run<KeptSample>(
    em,
    `insert into sample (fingerprint, source_id, treatment, spec, state, extent, like_key, units)
     select fingerprint, source_id, treatment, spec, 'later', extent, like_key, units
     from jsonb_to_recordset(?::jsonb) as entry (fingerprint text, source_id int, treatment jsonb, spec jsonb, extent jsonb, like_key text, units double precision)
     on conflict (fingerprint) do update set like_key = excluded.like_key, extent = excluded.extent, units = excluded.units
     returning id, fingerprint, state, measurement ->> 'machine' as machine`,
    [JSON.stringify([...entries.values()])],
  )
  const isStale = ({ state, machine }: KeptSample) =>
    state === 'failed' || (machine !== null && machines.length > 0 && !machines.includes(machine))
  const stale = kept.filter(isStale).map(sample => sample.id)
  if (stale.length > 0)
    await run(
      em,
      `update sample set state = 'later', measurement = null, reason = null, measured_at = null, run = run + 1 where id = any(?::int[])`,
      [asArray(stale)],
    )
  const byFingerprint = new Map(kept.map(sample => [sample.fingerprint, sample.id]))
  return fingerprints.map(fingerprint => byFingerprint.get(fingerprint)!)
}

/**
 * Has those samples measured that stand for their groups: of each group that some samples are in, up to `standIns` of different lengths.
 * The others wait until the machine has nothing else to do.
 */
export async function askForStandIns(em: EntityManager, queue: TaskQueue, sampleIds: readonly number[]): Promise<void> {
  const groups = await run<{ ids: number[]; units: number[]; asked: number; failed: number }>(
    em,
    `select array_agg(id order by id) filter (where state = 'later') as ids, array_agg(units order by id) filter (where state = 'later') as units,
       (count(*) filter (where state in ('waiting', 'measuring', 'ready')))::int as asked, (count(*) filter (where state = 'failed'))::int as failed
     from sample where like_key in (select like_key from sample where id = any(?::int[])) group by like_key having count(*) filter (where state = 'later') > 0`,
    [asArray(sampleIds)],
  )
  const chosen = groups.flatMap(({ ids, units, asked, failed }) =>
    asked >= standIns || failed >= mostFailed
      ? []
      : chooseStandIns(units, standIns - asked).map((place, turn) => ({ id: ids[place]!, turn })),
  )
  // Of every group one first, so that something is known of all of them soon.
  chosen.sort((a, b) => a.turn - b.turn || a.id - b.id)
  await askFor(
    em,
    queue,
    chosen.map(({ id }) => id),
  )
}

/** When so many of a group could not be measured, the rest is left for when there is time. */
const mostFailed = 2 * standIns

/** Has samples measured, in the order given, after those that were asked for before. */
async function askFor(em: EntityManager, queue: TaskQueue, ids: readonly number[]): Promise<void> {
  if (ids.length === 0) return
  const asked = await run<{ id: number; spec: DeliverySpec; treatment: Treatment }>(
    em,
    `update sample set state = 'waiting' where id = any(?::int[]) returning id, spec, treatment`,
    [asArray(ids)],
  )
  const needs = new Map(asked.map(({ id, ...plan }) => [id, needing(jobNeed(planOf(plan)))]))
  const before = await latestTurn(em)
  await queue.sendMany(
    'sample',
    ids.map((sampleId, index) => ({ payload: { sampleId, ...needs.get(sampleId) }, priority: -(before + 1 + index) })),
    em,
  )
}

/** Samples asked for so far: each is taken after those that were asked for before it. */
async function latestTurn(em: EntityManager): Promise<number> {
  const [row] = await run<{ asked: number }>(
    em,
    `select count(*)::int as asked from sample where state in ('waiting', 'measuring')`,
  )
  return row!.asked
}

/**
 * When nothing else is to be done: has one more sample measured, the one that narrows the forecast of the whole most. That is the largest
 * one of the group whose unmeasured work is most unsure.
 * @returns whether one was asked for
 */
export async function measureMore(em: EntityManager, queue: TaskQueue): Promise<boolean> {
  return em.transactional(async tx => {
    const [lock] = await run<{ free: boolean }>(tx, 'select pg_try_advisory_xact_lock(7004) as free')
    if (!lock!.free || (await isBusy(tx))) return false
    const groups = await run<{ key: string; units: number; largest: number }>(
      tx,
      `select like_key as key, sum(units) as units, (array_agg(id order by units desc, id))[1] as largest from sample
       where state = 'later' and exists (select 1 from job where job.sample_id = sample.id and job.state in ('draft', 'held')) group by like_key`,
    )
    if (groups.length === 0) return false
    const rates = await likeRatesOf(
      tx,
      groups.map(group => group.key),
    )
    const doubt = ({ key, units }: { key: string; units: number }) => {
      const rate = rates.get(key)
      return rate ? rate.secondsPerUnit * units * rate.time.shared : Number.POSITIVE_INFINITY
    }
    const most = groups.reduce((widest, group) => (doubt(group) > doubt(widest) ? group : widest))
    await askFor(tx, queue, [most.largest])
    return true
  })
}

/** Whether there is anything to do that a measurement would hold up, or that is measured already. */
async function isBusy(em: EntityManager): Promise<boolean> {
  const [row] = await run<{ busy: boolean }>(
    em,
    `select exists (select 1 from sample where state in ('waiting', 'measuring'))
       or exists (select 1 from job where state in ('waiting', 'queued', 'running', 'placing'))
       or exists (select 1 from trial where state in ('waiting', 'running'))
       or exists (select 1 from source where state = 'reading' or measure_state in ('waiting', 'measuring')) as busy`,
  )
  return row!.busy
}

/** Known sources of a group that its rates are worked out from at most; the latest count. */
const mostKnown = 40

/** What the measured sources of some groups say of the others. */
export async function likeRatesOf(em: EntityManager, keys: readonly string[]): Promise<Map<string, LikeRate>> {
  const wanted = [...new Set(keys)]
  if (wanted.length === 0) return new Map()
  const known = await run<{ key: string; extent: JobExtent; measurement: SampleMeasurement }>(
    em,
    `select like_key as key, extent, measurement from (
       select like_key, extent, measurement, row_number() over (partition by like_key order by measured_at desc, id) as place from sample
       where state = 'ready' and extent is not null and like_key in (select jsonb_array_elements_text(?::jsonb))) as entry where place <= ?`,
    [JSON.stringify(wanted), mostKnown],
  )
  const byKey = new Map<string, typeof known>()
  for (const entry of known) {
    const there = byKey.get(entry.key)
    if (there) there.push(entry)
    else byKey.set(entry.key, [entry])
  }
  return new Map(
    [...byKey].flatMap(([key, entries]) => {
      const rate = likeRate(
        key.slice(0, 12),
        entries.map(entry => ({ ...entry, forecast: forecastJob(entry.measurement, entry.extent) })),
      )
      return rate ? [[key, rate] as const] : []
    }),
  )
}

/** A sample with its source and volume, for a worker about to measure it; null when it no longer needs measuring. */
export async function beginSample(em: EntityManager, sampleId: number): Promise<SampleRow | null> {
  const sample = await em.findOne(SampleEntity, sampleId, { populate: ['source', 'source.volume'] as never })
  if (!sample || sample.state === 'ready') return null
  em.assign(sample, { state: 'measuring', run: sample.run + 1 })
  await em.flush()
  return sample
}

/** Keeps what was measured. @param run of the sample when it was begun: one that ends after a newer was begun or asked for no longer counts */
export async function keepMeasurement(
  em: EntityManager,
  sampleId: number,
  run: number,
  measurement: SampleMeasurement,
): Promise<void> {
  await em.nativeUpdate(
    SampleEntity,
    { id: sampleId, run },
    { state: 'ready', measurement, reason: null, measuredAt: new Date() },
  )
}

/** Keeps why a sample could not be measured; see `keepMeasurement`. */
export async function keepSampleFailure(
  em: EntityManager,
  queue: TaskQueue,
  sampleId: number,
  run: number,
  reason: string,
): Promise<void> {
  await em.transactional(async tx => {
    if ((await tx.nativeUpdate(SampleEntity, { id: sampleId, run }, { state: 'failed', reason })) === 0) return
    // Another one stands in for it.
    await askForStandIns(tx, queue, [sampleId])
  })
}
