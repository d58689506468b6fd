import { LockMode } from '@mikro-orm/core'
import type { EntityManager } from '@mikro-orm/postgresql'
import type { Rational, ScanRecord } from '@hematine/core'
import { scanRecord } from './as-records.ts'
import { OrderEntity, ScanEntity, type ScanRow } from './entities.ts'
import { found } from './problem.ts'
import type { TaskQueue } from './queue.ts'
import { bringInWithin, type Arrival } from './sources.ts'
import { readSourceVolume } from './volumes.ts'

/** Refused entries that are kept with their reasons. */
const mostRefused = 200

/** Goes through a folder and all below it, in the background. A folder that is being gone through already is not begun again. */
export async function beginScan(
  em: EntityManager,
  queue: TaskQueue,
  wish: { orderId: number; volumeId: number; path: string; frameRate: Rational },
): Promise<ScanRecord> {
  return em.transactional(async tx => {
    const order = found(await tx.findOne(OrderEntity, wish.orderId), 'order', wish.orderId)
    const volume = await readSourceVolume(tx, wish.volumeId)
    const running = await tx.findOne(ScanEntity, {
      order: order.id,
      volume: volume.id,
      path: wish.path,
      state: 'scanning',
    })
    if (running) return scanRecord(running)
    const row = tx.create(ScanEntity, {
      order,
      volume,
      path: wish.path,
      frameRate: wish.frameRate,
      state: 'scanning',
      pending: [wish.path],
      refused: [],
    })
    await tx.flush()
    await queue.send('scan', { scanId: row.id }, tx)
    await tx.refresh(row)
    return scanRecord(row)
  })
}

/** Scans of an order, newest first. */
export async function listScans(
  em: EntityManager,
  where: { orderId: number } | { ids: readonly number[] },
): Promise<ScanRecord[]> {
  return (
    await em.find(ScanEntity, 'orderId' in where ? { order: where.orderId } : { id: { $in: [...where.ids] } }, {
      orderBy: { id: -1 },
      limit: 50,
    })
  ).map(scanRecord)
}

/** Ends a scan where it stands; what it brought in stays. */
export async function stopScan(em: EntityManager, scanId: number): Promise<ScanRecord> {
  await em.nativeUpdate(ScanEntity, { id: scanId, state: 'scanning' }, { state: 'stopped', endedAt: new Date() })
  return scanRecord(found(await em.findOne(ScanEntity, scanId, { refresh: true }), 'scan', scanId))
}

/** The scan with its volume, and the directory that is next; null when the scan is over. */
export async function nextDirectory(
  em: EntityManager,
  scanId: number,
): Promise<{ scan: ScanRow; directory: string } | null> {
  const scan = await em.findOne(
    ScanEntity,
    { id: scanId, state: 'scanning' },
    { populate: ['volume'] as never, refresh: true },
  )
  const directory = scan?.pending.at(-1)
  return scan && directory !== undefined ? { scan, directory } : null
}

export interface ScannedDirectory {
  directory: string
  /** Directories found in it, as paths in the volume. */
  below: string[]
  arrivals: Arrival[]
  files: number
  refused: { path: string; reason: string }[]
}

/**
 * Keeps what a directory gave, in one transaction with the sources it brought: a scan that breaks off goes on with the next directory and
 * brings in nothing twice.
 */
export async function keepScanned(
  em: EntityManager,
  queue: TaskQueue,
  scanId: number,
  scanned: ScannedDirectory,
): Promise<void> {
  await em.transactional(async tx => {
    const scan = await tx.findOne(
      ScanEntity,
      { id: scanId, state: 'scanning' },
      { lockMode: LockMode.PESSIMISTIC_WRITE },
    )
    if (!scan || !scan.pending.includes(scanned.directory)) return
    const { ids, alreadyThere } = await bringInWithin(tx, queue, scan.order.id, scanned.arrivals)
    const pending = [...scan.pending.filter(path => path !== scanned.directory), ...[...scanned.below].reverse()]
    tx.assign(scan, {
      pending,
      directoriesDone: scan.directoriesDone + 1,
      filesSeen: scan.filesSeen + scanned.files,
      brought: scan.brought + ids.length,
      alreadyThere: scan.alreadyThere + alreadyThere,
      refusedCount: scan.refusedCount + scanned.refused.length,
      refused: [...scan.refused, ...scanned.refused].slice(0, mostRefused),
      ...(pending.length === 0 ? { state: 'done' as const, endedAt: new Date() } : {}),
    })
  })
}
