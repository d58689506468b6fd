import { LockMode } from '@mikro-orm/core'
import type { EntityManager } from '@mikro-orm/postgresql'
import type { DiscCopyRecord, SectorRange } from '@hematine/core'
import { discCopyRecord } from './as-records.ts'
import { DiscCopyEntity, DriveEntity, OrderEntity, type DiscCopyRow, type DriveRow } from './entities.ts'
import { found, Problem } from './problem.ts'
import type { TaskQueue } from './queue.ts'
import { bringInWithin, type Arrival } from './sources.ts'
import { readSourceVolume } from './volumes.ts'

/** Adds a drive. @param shelf absolute path of the directory with its discs */
export async function addDrive(
  em: EntityManager,
  drive: { name: string; shelf: string; speed: number },
): Promise<number> {
  const row = em.create(DriveEntity, { ...drive, badSectors: [] })
  await em.flush()
  return row.id
}

export async function listDrives(em: EntityManager): Promise<DriveRow[]> {
  return em.find(DriveEntity, {}, { orderBy: { id: 1 } })
}

/** Loads or ejects a disc, or sets how the stand-in behaves. A disc that is being read stays in. @throws Problem */
export async function changeDrive(
  em: EntityManager,
  driveId: number,
  change: { disc?: string | null; speed?: number; badSectors?: SectorRange[] },
): Promise<DriveRow> {
  return em.transactional(async tx => {
    const drive = found(
      await tx.findOne(DriveEntity, driveId, { lockMode: LockMode.PESSIMISTIC_WRITE }),
      'drive',
      driveId,
    )
    if (
      change.disc !== undefined &&
      change.disc !== drive.disc &&
      (await tx.count(DiscCopyEntity, { drive: driveId, state: 'reading' })) > 0
    ) {
      throw new Problem(409, 'drive-busy', `${drive.disc} is being read. Stop that first, or wait until it is through.`)
    }
    tx.assign(drive, change)
    return drive
  })
}

/** Has the disc in a drive read into an image of a source volume, in the background. @throws Problem */
export async function beginCopy(
  em: EntityManager,
  queue: TaskQueue,
  wish: { orderId: number; driveId: number; volumeId: number },
): Promise<DiscCopyRecord> {
  return em.transactional(async tx => {
    const order = found(await tx.findOne(OrderEntity, wish.orderId), 'order', wish.orderId)
    const volume = await readSourceVolume(tx, wish.volumeId)
    const drive = found(
      await tx.findOne(DriveEntity, wish.driveId, { lockMode: LockMode.PESSIMISTIC_WRITE }),
      'drive',
      wish.driveId,
    )
    if (!drive.disc) throw new Problem(409, 'drive-empty', `${drive.name} is empty. Load a disc first.`)
    if ((await tx.count(DiscCopyEntity, { drive: drive.id, state: 'reading' })) > 0)
      throw new Problem(409, 'drive-busy', `${drive.disc} is being read already.`)
    const row = tx.create(DiscCopyEntity, { order, volume, drive, disc: drive.disc, state: 'reading', unreadable: [] })
    await tx.flush()
    await queue.send('copy', { copyId: row.id }, tx)
    return discCopyRecord(row, drive)
  })
}

/** Discs that are or were read in for an order, newest first. */
export async function listCopies(
  em: EntityManager,
  where: { orderId: number } | { ids: readonly number[] },
): Promise<DiscCopyRecord[]> {
  const rows = await em.find(
    DiscCopyEntity,
    'orderId' in where ? { order: where.orderId } : { id: { $in: [...where.ids] } },
    { orderBy: { id: -1 }, limit: 50, populate: ['drive'] as never },
  )
  return rows.map(row => discCopyRecord(row, row.drive.getEntity() as DriveRow))
}

/** Ends reading a disc where it stands; nothing of it is kept. */
export async function stopCopy(em: EntityManager, copyId: number): Promise<DiscCopyRecord> {
  await em.nativeUpdate(DiscCopyEntity, { id: copyId, state: 'reading' }, { state: 'stopped', endedAt: new Date() })
  const [record] = await listCopies(em.fork(), { ids: [copyId] })
  return found(record ?? null, 'reading of a disc', copyId)
}

/** The copy with its volume and drive, for a worker; null when it is over. */
export async function readCopy(em: EntityManager, copyId: number): Promise<DiscCopyRow | null> {
  return em.findOne(
    DiscCopyEntity,
    { id: copyId, state: 'reading' },
    { populate: ['volume', 'drive'] as never, refresh: true },
  )
}

/** Keeps how far a copy is. @returns false when it was stopped */
export async function keepCopied(
  em: EntityManager,
  copyId: number,
  progress: { sectorsDone: number; sectorsTotal: number; unreadable: readonly SectorRange[] },
): Promise<boolean> {
  return (
    (await em.nativeUpdate(
      DiscCopyEntity,
      { id: copyId, state: 'reading' },
      { ...progress, unreadable: [...progress.unreadable] },
    )) > 0
  )
}

/** Keeps the name that a finished image will have, before it gets it. @returns the name */
export async function reserveCopyPath(em: EntityManager, copyId: number, path: string): Promise<string> {
  await em.nativeUpdate(DiscCopyEntity, { id: copyId, state: 'reading' }, { path })
  return path
}

/** Keeps how a copy ended, and brings in what it gave. @param reason why it failed, or why nothing came in */
export async function endCopy(
  em: EntityManager,
  queue: TaskQueue,
  copyId: number,
  result: { path: string; arrivals: readonly Arrival[]; reason: string | null } | { reason: string },
): Promise<void> {
  await em.transactional(async tx => {
    const copy = await tx.findOne(
      DiscCopyEntity,
      { id: copyId, state: 'reading' },
      { lockMode: LockMode.PESSIMISTIC_WRITE },
    )
    if (!copy) return
    if (!('path' in result))
      return void tx.assign(copy, { state: 'failed', reason: result.reason, endedAt: new Date() })
    const { ids } = await bringInWithin(tx, queue, copy.order.id, result.arrivals)
    tx.assign(copy, {
      state: 'done',
      path: result.path,
      brought: ids.length,
      reason: result.reason,
      endedAt: new Date(),
    })
  })
}

/** Sectors of an image in a volume that the drive could not read. */
export async function unreadableOf(em: EntityManager, volumeId: number, path: string): Promise<SectorRange[]> {
  const copy = await em.findOne(DiscCopyEntity, { volume: volumeId, path, state: 'done' })
  return copy?.unreadable ?? []
}
