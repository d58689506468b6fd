import { LockMode } from '@mikro-orm/core'
import type { EntityManager } from '@mikro-orm/postgresql'
import type { Rational, WatchRecord } from '@hematine/core'
import { watchRecord } from './as-records.ts'
import { OrderEntity, WatchEntity, type WatchRow } from './entities.ts'
import { found } from './problem.ts'
import type { TaskQueue } from './queue.ts'
import { bringInWithin, type Arrival } from './sources.ts'
import { readSourceVolume } from './volumes.ts'

/** Time between two looks at a watched folder: a file that is alike in two looks has stopped growing. */
export const lookEverySeconds = 4

/** Watches a folder and all below it. One that is watched already is kept as it is, at the new rate for sequences. */
export async function beginWatch(
  em: EntityManager,
  wish: { orderId: number; volumeId: number; path: string; frameRate: Rational },
): Promise<WatchRecord> {
  return em.transactional(async tx => {
    const order = found(await tx.findOne(OrderEntity, wish.orderId), 'order', wish.orderId)
    const volume = await readSourceVolume(tx, wish.volumeId)
    const row =
      (await tx.findOne(WatchEntity, { order: order.id, volume: volume.id, path: wish.path })) ??
      tx.create(WatchEntity, { order, volume, path: wish.path, frameRate: wish.frameRate, growing: {} })
    row.frameRate = wish.frameRate
    await tx.flush()
    return watchRecord(row)
  })
}

export async function listWatches(
  em: EntityManager,
  where: { orderId: number } | { ids: readonly number[] },
): Promise<WatchRecord[]> {
  return (
    await em.find(WatchEntity, 'orderId' in where ? { order: where.orderId } : { id: { $in: [...where.ids] } }, {
      orderBy: { id: 1 },
    })
  ).map(watchRecord)
}

/** Watches a folder no longer. What it brought in stays. */
export async function endWatch(em: EntityManager, watchId: number): Promise<void> {
  await em.nativeDelete(WatchEntity, { id: watchId })
}

/** A watched folder that is due for a look, with its volume, now this worker's to look at; null when none is due. */
export async function takeDueWatch(em: EntityManager): Promise<WatchRow | null> {
  return em.transactional(async tx => {
    const [due] = await tx
      .getConnection()
      .execute<{ id: number }[]>(
        `update watch set looked_at = now() where id = (select id from watch where looked_at is null or looked_at < now() - interval '${lookEverySeconds} seconds' order by looked_at nulls first limit 1 for update skip locked) returning id`,
        [],
        'all',
        tx.getTransactionContext(),
      )
    return due ? tx.findOne(WatchEntity, due.id, { populate: ['volume'] as never }) : null
  })
}

/** Keeps what a look showed: which files are still growing, and brings in what has stopped. */
export async function keepLook(
  em: EntityManager,
  queue: TaskQueue,
  watchId: number,
  look: { growing: Record<string, string>; arrivals: readonly Arrival[]; problem: string | null },
): Promise<void> {
  await em.transactional(async tx => {
    const watch = await tx.findOne(WatchEntity, watchId, { lockMode: LockMode.PESSIMISTIC_WRITE })
    if (!watch) return
    await bringInWithin(tx, queue, watch.order.id, look.arrivals)
    // Written only when something differs, so that a quiet folder announces nothing.
    if (JSON.stringify(watch.growing) !== JSON.stringify(look.growing)) watch.growing = look.growing
    if ((watch.problem ?? null) !== look.problem) watch.problem = look.problem
  })
}
