import type { EntityManager } from '@mikro-orm/postgresql'
import type { VolumeRole } from '@hematine/core'
import { JobEntity, SourceEntity, VolumeEntity, type VolumeRow } from './entities.ts'
import { run } from './sql.ts'
import { found, Problem } from './problem.ts'

export async function listVolumes(em: EntityManager): Promise<VolumeRow[]> {
  return em.find(VolumeEntity, {}, { orderBy: { id: 1 } })
}

export async function readVolume(em: EntityManager, id: number): Promise<VolumeRow> {
  return found(await em.findOne(VolumeEntity, id), 'volume', id)
}

/** A volume that material may come from. @throws Problem 404 or 409 */
export async function readSourceVolume(em: EntityManager, id: number): Promise<VolumeRow> {
  const volume = await readVolume(em, id)
  if (volume.role !== 'source')
    throw new Problem(
      409,
      'not-a-source-volume',
      `${volume.name} is a ${volume.role} volume. Material comes from source volumes.`,
    )
  return volume
}

/** Whether one of two absolute paths is the other or lies inside it. */
function overlap(a: string, b: string): boolean {
  const inside = (outer: string, inner: string) =>
    inner === outer || inner.startsWith(outer.endsWith('/') ? outer : `${outer}/`)
  return inside(a, b) || inside(b, a)
}

/**
 * Registers a directory. `path` is absolute and real (links followed).
 * @throws Problem 409 when it overlaps with a registered volume: results must never land among sources
 */
export async function registerVolume(
  em: EntityManager,
  wish: { name: string; role: VolumeRole; path: string },
): Promise<VolumeRow> {
  return em.transactional(async tx => {
    // Of two people who register overlapping directories at once, the second sees the first's.
    await run(tx, 'select pg_advisory_xact_lock(7003)')
    const clash = (await listVolumes(tx)).find(volume => overlap(volume.path, wish.path))
    if (clash)
      throw new Problem(
        409,
        'volumes-overlap',
        `This directory is, holds or lies inside the volume ${clash.name}. Choose one apart from it.`,
      )
    const row = tx.create(VolumeEntity, wish)
    await tx.flush()
    return row
  })
}

/** Notes that a volume has its marker. */
export async function noteMarked(em: EntityManager, id: number): Promise<void> {
  await em.nativeUpdate(VolumeEntity, { id, markedAt: null }, { markedAt: new Date() })
}

/** Forgets a volume that nothing refers to. Its files stay. */
export async function forgetVolume(em: EntityManager, id: number): Promise<void> {
  const row = await readVolume(em, id)
  if ((await em.count(SourceEntity, { volume: id })) > 0 || (await em.count(JobEntity, { deliveryVolume: id })) > 0)
    throw new Problem(409, 'volume-in-use', `${row.name} holds sources or results of an order and stays registered.`)
  await em.removeAndFlush(row)
}
