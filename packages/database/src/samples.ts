import { createHash } from 'node:crypto'
import type { EntityManager } from '@mikro-orm/postgresql'
import type { DeliverySpec, SampleMeasurement, Treatment } from '@hematine/core'
import { SampleEntity, SourceEntity, WorkerEntity, type SampleRow, type SourceRow } from './entities.ts'
import type { TaskQueue } from './queue.ts'

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
}

/**
 * The samples for sources with their treatments and specs: those there are, and new ones that workers will measure.
 * One measured on a machine that none of today's workers has, or that failed, is measured again.
 * @returns their numbers, in the order of the wishes
 */
export async function ensureSamples(
  em: EntityManager,
  queue: TaskQueue,
  wishes: readonly SampleWish[],
): Promise<number[]> {
  const fingerprints = wishes.map(({ source, treatment, spec }) => sampleFingerprint(source, treatment, spec))
  const machines = new Set((await em.find(WorkerEntity, { goneAt: null })).map(worker => worker.machine))
  const there = new Map(
    (await em.find(SampleEntity, { fingerprint: { $in: [...new Set(fingerprints)] } })).map(sample => [
      sample.fingerprint,
      sample,
    ]),
  )
  const isOf = (sample: SampleRow) =>
    sample.state !== 'failed' &&
    (!sample.measurement || machines.size === 0 || machines.has(sample.measurement.machine))
  const stale = [...there.values()].filter(sample => !isOf(sample))
  for (const sample of stale)
    em.assign(sample, { state: 'waiting', measurement: null, reason: null, measuredAt: null, run: sample.run + 1 })
  const missing = new Map(
    wishes.flatMap((wish, index) => (there.has(fingerprints[index]!) ? [] : [[fingerprints[index]!, wish] as const])),
  )
  const made = [...missing].map(([fingerprint, { source, treatment, spec }]) =>
    em.create(SampleEntity, {
      fingerprint,
      source: em.getReference(SourceEntity, source.id),
      treatment,
      spec,
      state: 'waiting',
    }),
  )
  await em.flush()
  for (const sample of made) there.set(sample.fingerprint, sample)
  // Measured in the order in which they were asked for.
  await queue.sendMany(
    'sample',
    [...made, ...stale].map(sample => ({ payload: { sampleId: sample.id }, priority: -sample.id })),
    em,
  )
  return fingerprints.map(fingerprint => there.get(fingerprint)!.id)
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
  sampleId: number,
  run: number,
  reason: string,
): Promise<void> {
  await em.nativeUpdate(SampleEntity, { id: sampleId, run }, { state: 'failed', reason })
}
