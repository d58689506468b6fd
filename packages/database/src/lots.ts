import type { EntityManager } from '@mikro-orm/postgresql'
import {
  describeLikeness,
  likenessKey,
  likenessOf,
  lotLetter,
  oddOneOutOf,
  type Fineness,
  type LotRecord,
  type SourceFilter,
} from '@hematine/core'
import { LotEntity, OrderEntity, SourceEntity, type LotRow, type SourceRow } from './entities.ts'
import { found, Problem } from './problem.ts'
import { whereSources } from './source-lists.ts'

/** What a lot is called: its name, or the letter it was given. */
export function lotName(row: Pick<LotRow, 'name' | 'number'>): string {
  return row.name ?? `Lot ${lotLetter(row.number)}`
}

/** Names of an order's lots by their numbers. */
export async function lotNamesOf(em: EntityManager, orderId: number): Promise<Map<number, string>> {
  const lots = await em.find(LotEntity, { order: orderId }, { fields: ['id', 'name', 'number'] })
  return new Map(lots.map(lot => [lot.id, lotName(lot)]))
}

/** One change of an order's lots at a time, so that two sources that are alike never found two lots. */
async function lockLots(tx: EntityManager, orderId: number): Promise<void> {
  await tx
    .getConnection()
    .execute('select pg_advisory_xact_lock(7003, ?)', [orderId], 'all', tx.getTransactionContext())
}

async function newLot(
  tx: EntityManager,
  orderId: number,
  rest: Pick<LotRow, 'likeness' | 'likenessKeys' | 'byHand'> & { name?: string | null },
): Promise<LotRow> {
  // The first letter that is free: lots that dissolve while sources are measured leave theirs to others.
  const [row] = await tx
    .getConnection()
    .execute<{ free: number }[]>(
      'select coalesce(min(number), 0)::int as free from generate_series(0, (select count(*) from lot where order_id = ?)) as number where number not in (select number from lot where order_id = ?)',
      [orderId, orderId],
      'all',
      tx.getTransactionContext(),
    )
  const lot = tx.create(LotEntity, { order: orderId, number: row!.free, ...rest } as never)
  await tx.flush()
  return lot as LotRow
}

/** Removes lots that hold nothing any more. */
async function dropEmptyLots(tx: EntityManager, orderId: number): Promise<void> {
  await tx
    .getConnection()
    .execute(
      'delete from lot where order_id = ? and not exists (select 1 from source where source.lot_id = lot.id)',
      [orderId],
      'all',
      tx.getTransactionContext(),
    )
}

/** Puts a source that was read into the lot of its likeness, which is made when there is none, and writes the source. One that a person placed stays where it is. */
export async function placeInLot(tx: EntityManager, source: SourceRow): Promise<void> {
  if (!source.facts || (source.lotByHand && source.lot)) return tx.flush()
  const orderId = source.order.id
  await lockLots(tx, orderId)
  const { lotFineness } = await tx.findOneOrFail(OrderEntity, orderId)
  const likeness = likenessOf(source.facts, source.findings ?? [], lotFineness)
  const key = likenessKey(likeness)
  const [known] = await tx
    .getConnection()
    .execute<{ id: number }[]>(
      'select id from lot where order_id = ? and likeness_keys @> to_jsonb(?::text) order by id limit 1',
      [orderId, key],
      'all',
      tx.getTransactionContext(),
    )
  const lotId = known?.id ?? (await newLot(tx, orderId, { likeness, likenessKeys: [key], byHand: false })).id
  const before = source.lot?.id
  if (before !== lotId) source.lot = tx.getReference(LotEntity, lotId, { wrapped: true }) as never
  await tx.flush()
  if (before !== undefined && before !== lotId) await dropEmptyLots(tx, orderId)
}

/** Lots of an order with what of them a filter lets through, in the order of their letters; lots that it empties are left out. */
export async function listLots(em: EntityManager, orderId: number, filter: SourceFilter): Promise<LotRecord[]> {
  const lots = await em.find(LotEntity, { order: orderId }, { orderBy: { number: 1 } })
  const where = whereSources(orderId, filter)
  const sums = await em
    .getConnection()
    .execute<{ lot_id: number | null; count: number; seconds: number; bytes: number }[]>(
      `select lot_id, count(*)::int as count, coalesce(sum(seconds), 0)::float8 as seconds, coalesce(sum(bytes), 0)::float8 as bytes from source where ${where.sql} group by lot_id`,
      where.values,
    )
  const whole = await em
    .getConnection()
    .execute<{ lot_id: number; count: number }[]>(
      'select lot_id, count(*)::int as count from source where order_id = ? and lot_id is not null group by lot_id',
      [orderId],
    )
  const countOf = new Map(whole.map(row => [row.lot_id, row.count]))
  const near = lots.map(lot => ({ id: lot.id, likeness: lot.likeness, count: countOf.get(lot.id) ?? 0 }))
  return lots.flatMap(lot => {
    const sum = sums.find(row => row.lot_id === lot.id)
    if (!sum) return []
    const odd = countOf.get(lot.id) === 1 && !lot.byHand ? oddOneOutOf(lot.likeness, near) : null
    return [
      {
        id: lot.id,
        orderId,
        name: lotName(lot),
        reason: describeLikeness(lot.likeness),
        byHand: lot.byHand,
        oddOneOut: odd && { lotId: odd.lot.id, differences: odd.differences },
        count: sum.count,
        seconds: sum.seconds,
        bytes: sum.bytes,
        treatmentId: lot.treatment?.id ?? null,
      },
    ]
  })
}

/** Gives a lot a name of its own, or its letter back. */
export async function renameLot(em: EntityManager, lotId: number, name: string | null): Promise<void> {
  found(await em.findOne(LotEntity, lotId), 'lot', lotId).name = name
  await em.flush()
}

/**
 * Moves sources into a lot, or into a new one, by a person's wish: they stay there whatever is found of them later.
 * @returns the lot's number
 */
export async function moveToLot(
  em: EntityManager,
  sourceIds: readonly number[],
  lotId: number | null,
): Promise<number> {
  return em.transactional(async tx => {
    const sources = await tx.find(SourceEntity, { id: { $in: [...sourceIds] } })
    const first = found(sources[0] ?? null, 'source', sourceIds[0] ?? 0)
    const orderId = first.order.id
    await lockLots(tx, orderId)
    if (sources.some(source => source.order.id !== orderId))
      throw new Problem(409, 'other-order', 'These sources belong to different orders and cannot share a lot.')
    const unread = sources.find(source => !source.facts)
    if (unread) throw new Problem(409, 'not-read', `${unread.name} has no facts yet and cannot be put into a lot.`)
    const lot =
      lotId === null
        ? await newLot(tx, orderId, {
            likeness: likenessOf(first.facts!, first.findings ?? []),
            likenessKeys: [],
            byHand: true,
          })
        : found(await tx.findOne(LotEntity, { id: lotId, order: orderId }), 'lot', lotId)
    for (const source of sources) tx.assign(source, { lot: lot.id, lotByHand: true } as never)
    await tx.flush()
    await dropEmptyLots(tx, orderId)
    return lot.id
  })
}

/** Joins lots into the first of them. Later arrivals like any of them come there too. */
export async function mergeLots(em: EntityManager, lotIds: readonly number[]): Promise<void> {
  await em.transactional(async tx => {
    const [into, ...others] = await Promise.all(
      lotIds.map(async id => found(await tx.findOne(LotEntity, id), 'lot', id)),
    )
    if (!into || others.some(lot => lot.order.id !== into.order.id))
      throw new Problem(409, 'other-order', 'These lots belong to different orders and cannot be joined.')
    await lockLots(tx, into.order.id)
    for (const other of others) await tx.nativeUpdate(SourceEntity, { lot: other.id }, { lot: into.id } as never)
    into.likenessKeys = [...new Set([...into.likenessKeys, ...others.flatMap(lot => lot.likenessKeys)])]
    into.byHand = true
    for (const other of others) other.likenessKeys = []
    await tx.flush()
    await dropEmptyLots(tx, into.order.id)
  })
}

/** Groups an order's sources by another measure of likeness. Those that a person placed, and lots that a person joined, stay as they are. */
export async function setFineness(em: EntityManager, orderId: number, fineness: Fineness): Promise<void> {
  await em.transactional(async tx => {
    const order = found(await tx.findOne(OrderEntity, orderId), 'order', orderId)
    if (order.lotFineness === fineness) return
    order.lotFineness = fineness
    await tx.flush()
    for (const source of await tx.find(
      SourceEntity,
      { order: orderId, lotByHand: false, state: 'ready' },
      { orderBy: { id: 1 } },
    ))
      await placeInLot(tx, source)
  })
}

/** Lets sources go back to the lots that their likeness gives them. */
export async function groupAgain(em: EntityManager, sourceIds: readonly number[]): Promise<void> {
  await em.transactional(async tx => {
    for (const source of await tx.find(SourceEntity, { id: { $in: [...sourceIds] } })) {
      source.lotByHand = false
      await tx.flush()
      await placeInLot(tx, source)
    }
  })
}
