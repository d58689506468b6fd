import type { EntityManager } from '@mikro-orm/postgresql'
import type { OrderRecord } from '@hematine/core'
import { orderRecord } from './as-records.ts'
import { OrderEntity } from './entities.ts'
import { found } from './problem.ts'

export async function listOrders(em: EntityManager): Promise<OrderRecord[]> {
  return (await em.find(OrderEntity, {}, { orderBy: { id: 1 } })).map(orderRecord)
}

export interface OrderWish {
  code: string
  name: string
  dueAt: Date | null
}

export async function createOrder(em: EntityManager, wish: OrderWish): Promise<OrderRecord> {
  const row = em.create(OrderEntity, wish)
  await em.flush()
  return orderRecord(row)
}

export async function changeOrder(em: EntityManager, id: number, wish: Partial<OrderWish>): Promise<OrderRecord> {
  const row = found(await em.findOne(OrderEntity, id), 'order', id)
  em.assign(row, wish)
  await em.flush()
  return orderRecord(row)
}
