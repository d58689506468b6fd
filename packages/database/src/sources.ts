import type { EntityManager } from '@mikro-orm/postgresql'
import { describeSequence, type NumberedSequence, type Rational, type SourceFacts, type SourceRecord } from '@hematine/core'
import { sourceRecord } from './as-records.ts'
import { JobEntity, OrderEntity, PosterEntity, SampleEntity, SourceEntity, VolumeEntity, type SourceRow } from './entities.ts'
import { found, Problem } from './problem.ts'
import type { TaskQueue } from './queue.ts'

/** A file or a numbered sequence in a volume. `directory` and `path` are relative to the volume, with "/" between the parts. */
export type Arrival =
  | { kind: 'file', volumeId: number, path: string }
  | { kind: 'sequence', volumeId: number, directory: string, sequence: NumberedSequence, frameRate: Rational }

function pathOf(arrival: Arrival): string {
  if (arrival.kind === 'file') return arrival.path
  const name = describeSequence(arrival.sequence)
  return arrival.directory ? `${arrival.directory}/${name}` : name
}

/** Brings material into an order; what is already in it is left alone. Each new source's facts are read in the background. */
export async function bringIn(em: EntityManager, queue: TaskQueue, orderId: number, arrivals: readonly Arrival[]): Promise<{ brought: SourceRecord[], alreadyThere: number }> {
  return em.transactional(async tx => {
    found(await tx.findOne(OrderEntity, orderId), 'order', orderId)
    const rows: SourceRow[] = []
    for (const arrival of arrivals) {
      const relativePath = pathOf(arrival)
      if (await tx.count(SourceEntity, { order: orderId, volume: arrival.volumeId, relativePath }) > 0) continue
      const row = tx.create(SourceEntity, {
        order: tx.getReference(OrderEntity, orderId), volume: tx.getReference(VolumeEntity, arrival.volumeId), relativePath, kind: arrival.kind,
        sequence: arrival.kind === 'sequence' ? arrival.sequence : null, frameRate: arrival.kind === 'sequence' ? arrival.frameRate : null, state: 'reading',
      })
      await tx.flush()
      // Read in the order in which they came.
      await queue.send('facts', { sourceId: row.id }, tx, -row.id)
      rows.push(row)
    }
    // Defaults that the database fills in, such as the time, are read back.
    const fresh = await tx.find(SourceEntity, { id: { $in: rows.map(row => row.id) } }, { refresh: true, orderBy: { id: 1 } })
    return { brought: fresh.map(row => sourceRecord(row, 0)), alreadyThere: arrivals.length - rows.length }
  })
}

/** Sources of an order in the order they came, or some of them by number. */
export async function listSources(em: EntityManager, where: { orderId: number } | { ids: readonly number[] }): Promise<SourceRecord[]> {
  const rows = await em.find(SourceEntity, 'orderId' in where ? { order: where.orderId } : { id: { $in: [...where.ids] } }, { orderBy: { id: 1 } })
  const counts = await em.getConnection().execute<{ source_id: number, count: number }[]>(
    `select source_id, count(*)::int as count from job where state <> 'cancelled' group by source_id`)
  const countOf = new Map(counts.map(row => [row.source_id, row.count]))
  return rows.map(row => sourceRecord(row, countOf.get(row.id) ?? 0))
}

/** Numbers of an order's sources in a volume, by their paths. */
export async function sourceNumbersByPath(em: EntityManager, orderId: number, volumeId: number): Promise<Map<string, number>> {
  const rows = await em.find(SourceEntity, { order: orderId, volume: volumeId }, { fields: ['id', 'relativePath'] })
  return new Map(rows.map(row => [row.relativePath, row.id]))
}

/** Reads a source's facts once more, at another frame rate when it is a sequence. */
export async function readAgain(em: EntityManager, queue: TaskQueue, sourceId: number, frameRate?: Rational): Promise<SourceRecord> {
  await em.transactional(async tx => {
    const row = found(await tx.findOne(SourceEntity, sourceId), 'source', sourceId)
    if (frameRate && row.kind !== 'sequence') throw new Problem(409, 'not-a-sequence', 'Only a sequence of pictures is given a frame rate by hand; a file has its own.')
    if (frameRate) row.frameRate = frameRate
    row.state = 'reading'
    await queue.send('facts', { sourceId }, tx)
  })
  return (await listSources(em.fork(), { ids: [sourceId] }))[0]!
}

/** Takes a source out of its order. The material itself is not touched. */
export async function removeSource(em: EntityManager, sourceId: number): Promise<void> {
  await em.transactional(async tx => {
    const row = found(await tx.findOne(SourceEntity, sourceId), 'source', sourceId)
    const jobs = await tx.find(JobEntity, { source: sourceId })
    const kept = jobs.find(job => job.state !== 'draft')
    if (kept) throw new Problem(409, 'source-has-jobs', 'This source has jobs that were released, and their record needs it. It stays in the order.')
    for (const job of jobs) tx.remove(job)
    await tx.flush()
    await tx.nativeDelete(SampleEntity, { source: sourceId })
    tx.remove(row)
  })
}

/** A source's row with its volume, for a worker; null when it was removed. */
export async function readSource(em: EntityManager, sourceId: number): Promise<SourceRow | null> {
  return em.findOne(SourceEntity, sourceId, { populate: ['volume'] as never })
}

/** The poster of a source as WebP, or null when it has none. */
export async function posterOf(em: EntityManager, sourceId: number): Promise<Buffer | null> {
  const row = await em.findOne(PosterEntity, { source: sourceId })
  return row ? Buffer.from(row.picture) : null
}

/** Keeps what was read of a source. `identity` tells the file as it was then. */
export async function keepFacts(em: EntityManager, sourceId: number, facts: SourceFacts, identity: string, poster: Buffer | null): Promise<void> {
  await em.transactional(async tx => {
    await tx.nativeDelete(PosterEntity, { source: sourceId })
    if (poster) await tx.insert(PosterEntity, { source: sourceId, picture: poster })
    await tx.nativeUpdate(SourceEntity, { id: sourceId }, { state: 'ready', reason: null, facts, identity, hasPoster: poster !== null })
  })
}

/** Keeps why a source cannot be used. */
export async function keepRefusal(em: EntityManager, sourceId: number, reason: string): Promise<void> {
  await em.transactional(async tx => {
    await tx.nativeDelete(PosterEntity, { source: sourceId })
    await tx.nativeUpdate(SourceEntity, { id: sourceId }, { state: 'refused', reason, facts: null, identity: null, hasPoster: false })
  })
}
