import { isDeepStrictEqual } from 'node:util'
import { LockMode } from '@mikro-orm/core'
import type { EntityManager } from '@mikro-orm/postgresql'
import {
  describeSequence,
  joinPartFacts,
  joinProblem,
  titlePath,
  type DiscPlace,
  type JoinPart,
  type NumberedSequence,
  type Rational,
  type SourceFacts,
  type SourceRecord,
} from '@hematine/core'
import { sourceName, sourceRecord } from './as-records.ts'
import {
  JobEntity,
  OrderEntity,
  PosterEntity,
  SampleEntity,
  SourceEntity,
  VolumeEntity,
  type SourceRow,
} from './entities.ts'
import { matchToInventory } from './inventory.ts'
import { placeInLot } from './lots.ts'
import { factColumns } from './measurements.ts'
import { found, Problem } from './problem.ts'
import type { TaskQueue } from './queue.ts'

/** A file, a numbered sequence or a title of a disc in a volume. `directory` and `path` are relative to the volume, with "/" between the parts. */
export type Arrival =
  | { kind: 'file'; volumeId: number; path: string }
  | { kind: 'sequence'; volumeId: number; directory: string; sequence: NumberedSequence; frameRate: Rational }
  | { kind: 'title'; volumeId: number; disc: DiscPlace }

function pathOf(arrival: Arrival): string {
  if (arrival.kind === 'file') return arrival.path
  if (arrival.kind === 'title') return titlePath(arrival.disc)
  const name = describeSequence(arrival.sequence)
  return arrival.directory ? `${arrival.directory}/${name}` : name
}

export interface BroughtIn {
  /** Numbers of the new sources, in the order of the arrivals. */
  ids: number[]
  alreadyThere: number
}

/** Brings material into an order within the caller's transaction; what is already in it is left alone. Each new source's facts are read in the background. */
export async function bringInWithin(
  tx: EntityManager,
  queue: TaskQueue,
  orderId: number,
  arrivals: readonly Arrival[],
): Promise<BroughtIn> {
  const wanted = new Map(arrivals.map(arrival => [JSON.stringify([arrival.volumeId, pathOf(arrival)]), arrival]))
  const there = await tx.find(
    SourceEntity,
    { order: orderId, relativePath: { $in: [...wanted.values()].map(pathOf) } },
    { fields: ['relativePath', 'volume', 'sequence'] },
  )
  for (const row of there) {
    const key = JSON.stringify([row.volume.id, row.relativePath])
    const arrival = wanted.get(key)
    // A sequence keeps its name when frames that were missing come later.
    if (arrival?.kind !== 'sequence' || isDeepStrictEqual(row.sequence, arrival.sequence)) wanted.delete(key)
  }
  const grown = await growSequences(tx, queue, orderId, [...wanted.values()])
  const fresh = [...wanted.values()].filter(arrival => !grown.has(arrival))
  const rows = fresh.map(arrival => {
    const relativePath = pathOf(arrival)
    return tx.create(SourceEntity, {
      order: tx.getReference(OrderEntity, orderId),
      volume: tx.getReference(VolumeEntity, arrival.volumeId),
      relativePath,
      kind: arrival.kind,
      name: sourceName({ relativePath }),
      sequence: arrival.kind === 'sequence' ? arrival.sequence : null,
      frameRate: arrival.kind === 'sequence' ? arrival.frameRate : null,
      disc: arrival.kind === 'title' ? arrival.disc : null,
      state: 'reading',
    })
  })
  await tx.flush()
  await matchToInventory(tx, orderId, rows)
  // Read in the order in which they came.
  await queue.sendMany(
    'facts',
    rows.map(row => ({ payload: { sourceId: row.id }, priority: -row.id })),
    tx,
  )
  return { ids: rows.map(row => row.id), alreadyThere: arrivals.length - rows.length }
}

/**
 * Makes one source of several that are played one after the other; they stay as they are.
 * @param ids in the order in which they are played
 * @throws Problem when they cannot be joined
 */
export async function joinSources(em: EntityManager, queue: TaskQueue, ids: readonly number[]): Promise<SourceRecord> {
  const id = await em.transactional(async tx => {
    const there = await tx.find(SourceEntity, { id: { $in: [...ids] } }, { populate: ['volume'] })
    const rows = ids.map(wanted => found(there.find(row => row.id === wanted) ?? null, 'source', wanted))
    const [first] = rows
    if (!first) throw new Problem(409, 'cannot-join', 'Choose two sources or more to join.')
    for (const row of rows) {
      if (row.state !== 'ready' || !row.facts)
        throw new Problem(409, 'cannot-join', `${sourceName(row)} is not read yet, or was refused. Join what is ready.`)
      if (row.kind === 'join')
        throw new Problem(409, 'cannot-join', `${sourceName(row)} is a join itself. Join its parts instead.`)
      if (row.order.id !== first.order.id)
        throw new Problem(409, 'cannot-join', 'The sources are of different orders. Join those of one.')
      if (row.volume.id !== first.volume.id)
        throw new Problem(
          409,
          'cannot-join',
          `${sourceName(row)} lies in another volume than ${sourceName(first)}. Copy both into one and bring them in from there.`,
        )
    }
    const problem = joinProblem(rows.map(row => ({ name: sourceName(row), facts: row.facts! })))
    if (problem) throw new Problem(409, 'cannot-join', problem)
    const joined = rows.map((row): JoinPart => ({
      kind: row.kind as JoinPart['kind'],
      relativePath: row.relativePath,
      sequence: row.sequence ?? null,
      frameRate: row.frameRate ?? null,
      disc: row.disc ?? null,
      ...joinPartFacts(row.facts!),
    }))
    // Joins of the same parts are sources of their own.
    const taken = new Set(
      (await tx.find(SourceEntity, { order: first.order.id, kind: 'join' }, { fields: ['relativePath'] })).map(
        row => row.relativePath,
      ),
    )
    const name = `${first.relativePath} and ${rows.length - 1} more`
    let relativePath = name
    for (let number = 2; taken.has(relativePath); number++) relativePath = `${name} (${number})`
    const row = tx.create(SourceEntity, {
      order: first.order,
      volume: first.volume,
      relativePath,
      kind: 'join',
      name: sourceName({ relativePath }),
      sequence: null,
      frameRate: null,
      disc: null,
      joined,
      state: 'reading',
    })
    await tx.flush()
    await queue.send('facts', { sourceId: row.id }, tx, -row.id)
    return row.id
  })
  return (await listSources(em.fork(), { ids: [id] }))[0]!
}

/** Sequences that are in the order already but have other frames now keep their source, which is read again. @returns their arrivals */
async function growSequences(
  tx: EntityManager,
  queue: TaskQueue,
  orderId: number,
  arrivals: readonly Arrival[],
): Promise<Set<Arrival>> {
  const grown = new Set<Arrival>()
  const coming = arrivals.filter(arrival => arrival.kind === 'sequence')
  if (coming.length === 0) return grown
  const known = await tx.find(SourceEntity, {
    order: orderId,
    kind: 'sequence',
    volume: { $in: coming.map(arrival => arrival.volumeId) },
  })
  for (const arrival of coming) {
    const { directory, sequence, volumeId } = arrival
    const row = known.find(
      source =>
        source.volume.id === volumeId &&
        source.sequence?.prefix === sequence.prefix &&
        source.sequence.suffix === sequence.suffix &&
        directoryOf(source.relativePath) === directory,
    )
    if (!row) continue
    const relativePath = pathOf(arrival)
    tx.assign(row, {
      sequence,
      relativePath,
      name: sourceName({ relativePath }),
      state: 'reading',
      revision: row.revision + 1,
    })
    await tx.flush()
    await queue.send('facts', { sourceId: row.id }, tx, -row.id)
    grown.add(arrival)
  }
  return grown
}

function directoryOf(relativePath: string): string {
  return relativePath.includes('/') ? relativePath.slice(0, relativePath.lastIndexOf('/')) : ''
}

/** Brings material into an order; see `bringInWithin`. */
export async function bringIn(
  em: EntityManager,
  queue: TaskQueue,
  orderId: number,
  arrivals: readonly Arrival[],
): Promise<{ brought: SourceRecord[]; alreadyThere: number }> {
  const { ids, alreadyThere } = await em.transactional(async tx => {
    found(await tx.findOne(OrderEntity, orderId), 'order', orderId)
    return bringInWithin(tx, queue, orderId, arrivals)
  })
  return { brought: await listSources(em.fork(), { ids }), alreadyThere }
}

/** Sources of an order in the order they came, or some of them by number. */
export async function listSources(
  em: EntityManager,
  where: { orderId: number } | { ids: readonly number[] },
): Promise<SourceRecord[]> {
  const rows = await em.find(
    SourceEntity,
    'orderId' in where ? { order: where.orderId } : { id: { $in: [...where.ids] } },
    { orderBy: { id: 1 } },
  )
  const counts = await em
    .getConnection()
    .execute<{ source_id: number; count: number }[]>(
      `select source_id, count(*)::int as count from job where state <> 'cancelled' group by source_id`,
    )
  const countOf = new Map(counts.map(row => [row.source_id, row.count]))
  return rows.map(row => sourceRecord(row, countOf.get(row.id) ?? 0))
}

/** Numbers of an order's sources in a volume, by their paths. */
export async function sourceNumbersByPath(
  em: EntityManager,
  orderId: number,
  volumeId: number,
): Promise<Map<string, number>> {
  const rows = await em.find(SourceEntity, { order: orderId, volume: volumeId }, { fields: ['id', 'relativePath'] })
  return new Map(rows.map(row => [row.relativePath, row.id]))
}

/** Sequences of an order in a volume, by their paths: the frames that are known of each. */
export async function sequencesByPath(
  em: EntityManager,
  orderId: number,
  volumeId: number,
): Promise<Map<string, NumberedSequence>> {
  const rows = await em.find(
    SourceEntity,
    { order: orderId, volume: volumeId, kind: 'sequence' },
    { fields: ['relativePath', 'sequence'] },
  )
  return new Map(rows.flatMap(row => (row.sequence ? [[row.relativePath, row.sequence]] : [])))
}

/** Reads a source's facts once more, at another frame rate when it is a sequence. */
export async function readAgain(
  em: EntityManager,
  queue: TaskQueue,
  sourceId: number,
  frameRate?: Rational,
): Promise<SourceRecord> {
  await em.transactional(async tx => {
    const row = found(await tx.findOne(SourceEntity, sourceId), 'source', sourceId)
    if (frameRate && row.kind !== 'sequence')
      throw new Problem(
        409,
        'not-a-sequence',
        'Only a sequence of pictures is given a frame rate by hand; a file has its own.',
      )
    if (frameRate) row.frameRate = frameRate
    tx.assign(row, { state: 'reading', revision: row.revision + 1 })
    await queue.send('facts', { sourceId }, tx)
  })
  return (await listSources(em.fork(), { ids: [sourceId] }))[0]!
}

/** Says which frame of a sequence will be its last, or that nobody knows. @throws Problem */
export async function expectLastFrame(
  em: EntityManager,
  sourceId: number,
  expectedLast: number | null,
): Promise<SourceRecord> {
  const row = found(await em.findOne(SourceEntity, sourceId), 'source', sourceId)
  if (row.kind !== 'sequence' || !row.sequence)
    throw new Problem(409, 'not-a-sequence', 'Only a sequence of pictures has a last frame to be expected.')
  if (expectedLast !== null && expectedLast < row.sequence.last)
    throw new Problem(
      409,
      'frame-is-here',
      `Frame ${row.sequence.last} is here already; the last one cannot be ${expectedLast}.`,
    )
  row.expectedLast = expectedLast
  await em.flush()
  return (await listSources(em.fork(), { ids: [sourceId] }))[0]!
}

/** Takes a source out of its order. The material itself is not touched. */
export async function removeSource(em: EntityManager, sourceId: number): Promise<void> {
  await em.transactional(async tx => {
    const row = found(await tx.findOne(SourceEntity, sourceId), 'source', sourceId)
    const jobs = await tx.find(JobEntity, { source: sourceId })
    const kept = jobs.find(job => job.state !== 'draft')
    if (kept)
      throw new Problem(
        409,
        'source-has-jobs',
        'This source has jobs that were released, and their record needs it. It stays in the order.',
      )
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

/**
 * Keeps what was read of a source, groups it, and has it measured next.
 * @param identity tells the file as it was then
 * @param revision of the source when it was read: a read that ends after a newer was asked for no longer counts
 */
export async function keepFacts(
  em: EntityManager,
  queue: TaskQueue,
  sourceId: number,
  facts: SourceFacts,
  identity: string,
  revision?: number,
): Promise<void> {
  await em.transactional(async tx => {
    const row = await tx.findOne(
      SourceEntity,
      { id: sourceId, ...(revision === undefined ? {} : { revision }) },
      { lockMode: LockMode.PESSIMISTIC_WRITE },
    )
    if (!row) return
    const columns = factColumns(facts)
    tx.assign(row, {
      state: 'ready',
      reason: null,
      facts,
      identity,
      ...columns,
      // What was found of the file as it was before no longer counts.
      findings: null,
      rulesVersion: null,
      measured: null,
      measureReason: null,
      findingKeys: ',',
      faultCount: 0,
      measureState: columns.material === 'still' ? 'none' : 'waiting',
    })
    await placeInLot(tx, row)
    // The poster of a moment ago stands until there is another.
    if (facts.video) await queue.send('poster', { sourceId }, tx, -sourceId)
    else if (row.hasPoster) {
      row.hasPoster = false
      await tx.nativeDelete(PosterEntity, { source: sourceId })
    }
    if (row.measureState === 'waiting') await queue.send('measure', { sourceId, depth: 'sampled' }, tx, -sourceId)
  })
}

/** Keeps the poster of a source, WebP; it is dropped when the source is being read anew. @param revision of the source that it was made from */
export async function keepPoster(em: EntityManager, sourceId: number, poster: Buffer, revision: number): Promise<void> {
  await em.transactional(async tx => {
    const kept = await tx.nativeUpdate(SourceEntity, { id: sourceId, revision, state: 'ready' }, { hasPoster: true })
    if (kept > 0) await tx.upsert(PosterEntity, { source: sourceId, picture: poster })
  })
}

/** Keeps why no picture of a source can be shown, among the remarks of its facts; see `keepPoster`. */
export async function keepPosterFailure(
  em: EntityManager,
  sourceId: number,
  remark: string,
  revision: number,
): Promise<void> {
  await em.transactional(async tx => {
    const row = await tx.findOne(
      SourceEntity,
      { id: sourceId, revision, state: 'ready' },
      { lockMode: LockMode.PESSIMISTIC_WRITE },
    )
    if (!row?.facts) return
    row.hasPoster = false
    if (!row.facts.remarks.includes(remark)) row.facts = { ...row.facts, remarks: [...row.facts.remarks, remark] }
    await tx.nativeDelete(PosterEntity, { source: sourceId })
  })
}

/** Keeps why a source cannot be used; see `keepFacts`. */
export async function keepRefusal(
  em: EntityManager,
  sourceId: number,
  reason: string,
  revision?: number,
): Promise<void> {
  await em.transactional(async tx => {
    const row = await tx.findOne(
      SourceEntity,
      { id: sourceId, ...(revision === undefined ? {} : { revision }) },
      { fields: ['id'], lockMode: LockMode.PESSIMISTIC_WRITE },
    )
    if (!row) return
    await tx.nativeDelete(PosterEntity, { source: sourceId })
    await tx.nativeUpdate(
      SourceEntity,
      { id: sourceId },
      {
        state: 'refused',
        reason,
        facts: null,
        identity: null,
        hasPoster: false,
        ...factColumns(null),
        findings: null,
        findingKeys: ',',
        faultCount: 0,
        measureState: 'none',
        lot: null,
      },
    )
  })
}
