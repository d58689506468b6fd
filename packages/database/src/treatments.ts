import { isDeepStrictEqual } from 'node:util'
import type { EntityManager } from '@mikro-orm/postgresql'
import { arrangeSteps, type Step, type TreatmentRecord } from '@hematine/core'
import { LotEntity, TreatmentEntity, type TreatmentRow } from './entities.ts'
import { found, Problem } from './problem.ts'

/** All versions of all treatments: by name, the newest version first. */
export async function listTreatments(em: EntityManager): Promise<TreatmentRecord[]> {
  const rows = await em.find(TreatmentEntity, {}, { orderBy: { name: 1, version: -1 } })
  const counts = await em
    .getConnection()
    .execute<{ treatment_id: number; count: number }[]>(
      'select treatment_id, count(*)::int as count from lot where treatment_id is not null group by treatment_id',
    )
  return rows.map(row => treatmentRecord(row, counts.find(entry => entry.treatment_id === row.id)?.count ?? 0))
}

function treatmentRecord(row: TreatmentRow, lotCount: number): TreatmentRecord {
  return {
    id: row.id,
    name: row.name,
    version: row.version,
    steps: row.steps,
    lotCount,
    createdAt: row.createdAt!.toISOString(),
  }
}

/** "Tape clean v3": how jobs and lists call a treatment. */
export function treatmentName({ name, version }: Pick<TreatmentRow, 'name' | 'version'>): string {
  return `${name} v${version}`
}

/**
 * Keeps steps as the next version of a treatment of this name, or as its first. Steps equal to the newest version's are that version.
 * @throws Problem 409 when the steps cannot be together
 */
export async function keepTreatment(em: EntityManager, name: string, steps: readonly Step[]): Promise<TreatmentRecord> {
  const { refused, steps: ordered } = arrangeSteps(steps)
  if (refused.length > 0) throw new Problem(409, 'bad-steps', refused.join(' '))
  return em.transactional(async tx => {
    // Two people who keep the same name at once get one version after the other.
    await tx
      .getConnection()
      .execute('select pg_advisory_xact_lock(hashtext(?))', [`treatment ${name}`], 'all', tx.getTransactionContext())
    const newest = await tx.findOne(TreatmentEntity, { name }, { orderBy: { version: -1 } })
    // The database hands a step's settings back in another order.
    if (newest && isDeepStrictEqual(newest.steps, ordered))
      return treatmentRecord(newest, await tx.count(LotEntity, { treatment: newest.id }))
    const row = tx.create(TreatmentEntity, { name, version: (newest?.version ?? 0) + 1, steps: [...ordered] })
    await tx.flush()
    await tx.refresh(row)
    return treatmentRecord(row, 0)
  })
}

/** Gives lots a treatment, or takes it from them. @throws Problem when one of them, or the treatment, is gone; then none has it */
export async function treatLots(
  em: EntityManager,
  lotIds: readonly number[],
  treatmentId: number | null,
): Promise<void> {
  await em.transactional(async tx => {
    if (treatmentId !== null) found(await tx.findOne(TreatmentEntity, treatmentId), 'treatment', treatmentId)
    const changed = await tx.nativeUpdate(LotEntity, { id: { $in: [...lotIds] } }, { treatment: treatmentId } as never)
    if (changed < lotIds.length)
      throw new Problem(404, 'not-found', 'Some of these lots are gone. Load the page again.')
  })
}
