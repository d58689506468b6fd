import type { EntityManager } from '@mikro-orm/postgresql'
import type { Fineness, OrderRecord } from '@hematine/core'
import { orderRecord } from './as-records.ts'
import { OrderEntity } from './entities.ts'
import { setFineness } from './lots.ts'
import { found } from './problem.ts'

export async function listOrders(em: EntityManager): Promise<OrderRecord[]> {
  return (await em.find(OrderEntity, {}, { orderBy: { id: 1 } })).map(orderRecord)
}

export interface OrderWish {
  code: string
  name: string
  dueAt: Date | null
  /** How often its lateness counts; once unless said. */
  lateWeight?: number | undefined
}

export async function createOrder(em: EntityManager, wish: OrderWish): Promise<OrderRecord> {
  const row = em.create(OrderEntity, { ...wish, lateWeight: wish.lateWeight ?? 1 })
  await em.flush()
  return orderRecord(row)
}

export async function changeOrder(
  em: EntityManager,
  id: number,
  { lotFineness, ...wish }: Partial<OrderWish> & { lotFineness?: Fineness | undefined },
): Promise<OrderRecord> {
  if (lotFineness) await setFineness(em.fork(), id, lotFineness)
  const row = found(await em.findOne(OrderEntity, id), 'order', id)
  em.assign(row, wish)
  await em.flush()
  return orderRecord(row)
}
