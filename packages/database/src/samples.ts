import { createHash } from 'node:crypto'
import type { EntityManager } from '@mikro-orm/postgresql'
import type { DeliverySpec, SampleMeasurement, Treatment } from '@hematine/core'
import { SampleEntity, SourceEntity, WorkerEntity, type SampleRow, type SourceRow } from './entities.ts'
import type { TaskQueue } from './queue.ts'

/** Goes up when the way of measuring changes, so that older measurements are not mixed with new ones. */
const measuringVersion = 1

/** Hash of everything a measurement depends on, so that equal work is measured once. Names and purposes of specs do not count. */
export function sampleFingerprint(source: Pick<SourceRow, 'volume' | 'relativePath' | 'identity'>, treatment: Treatment, spec: DeliverySpec): string {
  const what = [measuringVersion, source.volume.id, source.relativePath, source.identity, treatment, spec.container, spec.video, spec.audio]
  return createHash('sha256').update(JSON.stringify(what)).digest('hex')
}

/**
 * The sample for a source, treatment and spec: the one there is, or a new one that a worker will measure.
 * One measured on a machine that none of today's workers has, or that failed, is measured again.
 */
export async function ensureSample(em: EntityManager, queue: TaskQueue, source: SourceRow, treatment: Treatment, spec: DeliverySpec): Promise<SampleRow> {
  const fingerprint = sampleFingerprint(source, treatment, spec)
  let sample = await em.findOne(SampleEntity, { fingerprint })
  if (sample) {
    const workers = await em.find(WorkerEntity, { goneAt: null })
    const foreign = sample.measurement && workers.length > 0 && !workers.some(worker => worker.machine === sample!.measurement!.machine)
    if (sample.state !== 'failed' && !foreign) return sample
    em.assign(sample, { state: 'waiting', measurement: null, reason: null, measuredAt: null })
  } else {
    sample = em.create(SampleEntity, { fingerprint, source: em.getReference(SourceEntity, source.id), treatment, spec, state: 'waiting' })
  }
  await em.flush()
  // Measured in the order in which they were asked for.
  await queue.send('sample', { sampleId: sample.id }, em, -sample.id)
  return sample
}

/** A sample with its source and volume, for a worker about to measure it; null when it no longer needs measuring. */
export async function beginSample(em: EntityManager, sampleId: number): Promise<SampleRow | null> {
  const sample = await em.findOne(SampleEntity, sampleId, { populate: ['source', 'source.volume'] as never })
  if (!sample || sample.state === 'ready') return null
  sample.state = 'measuring'
  await em.flush()
  return sample
}

export async function keepMeasurement(em: EntityManager, sampleId: number, measurement: SampleMeasurement): Promise<void> {
  await em.nativeUpdate(SampleEntity, { id: sampleId }, { state: 'ready', measurement, reason: null, measuredAt: new Date() })
}

export async function keepSampleFailure(em: EntityManager, sampleId: number, reason: string): Promise<void> {
  await em.nativeUpdate(SampleEntity, { id: sampleId }, { state: 'failed', reason })
}
