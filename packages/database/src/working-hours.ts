import type { EntityManager } from '@mikro-orm/postgresql'
import { anyTime, OpenTime, type HoursSetting } from '@hematine/core'
import { WorkingHoursEntity } from './entities.ts'

/** The installation has one setting. */
const only = 'jobs'

/** The hours in which jobs are worked on. */
export async function hoursOf(em: EntityManager): Promise<HoursSetting> {
  const row = await em.findOne(WorkingHoursEntity, only, { refresh: true })
  return row ? { hours: row.hours ?? null, workOnUntil: row.workOnUntil?.toISOString() ?? null } : anyTime
}

/** Changes the hours in which jobs are worked on; what is left out stays. @returns the hours as they are then */
export async function changeHours(em: EntityManager, changes: Partial<HoursSetting>): Promise<HoursSetting> {
  return em.transactional(async tx => {
    const now = await hoursOf(tx)
    const { hours, workOnUntil } = { ...now, ...changes }
    await tx.upsert(WorkingHoursEntity, { id: only, hours, workOnUntil: workOnUntil ? new Date(workOnUntil) : null })
    return { hours, workOnUntil }
  })
}

/** Whether jobs are worked on at this moment. */
export async function areJobsWorkedOn(em: EntityManager): Promise<boolean> {
  return new OpenTime(new Date(), await hoursOf(em)).now.isOpen
}
