import { z } from 'zod'
import type { OrderRecord } from '../records.ts'

const orderNumber = z.int().positive()
const dueAt = z.iso.datetime().nullable()

/** Lanes that can be supposed beside those that there are. */
export const mostLanesMore = 64

/** Work that is not there yet: so many jobs of equal length, which come before all that waits. */
export const RushWork = z.object({
  jobs: z.int().min(1).max(1000),
  /** Device time of all of them together. */
  seconds: z.number().positive().max(31_536_000),
  dueAt,
})
export type RushWork = z.infer<typeof RushWork>

/** What is supposed to be otherwise than it is; left out, nothing is. */
export const Supposed = z.object({
  /** Lanes of processors more than there are, as quick as these; less than zero for fewer. */
  lanesMore: z.int().min(-mostLanesMore).max(mostLanesMore).default(0),
  /** Lanes of graphics devices more than there are, as quick as those and for every codec that they encode; less than zero for fewer. */
  deviceLanesMore: z.int().min(-mostLanesMore).max(mostLanesMore).default(0),
  /** Jobs are worked on at any time, whatever the working hours are. */
  atAnyTime: z.boolean().default(false),
  /** Announced material is here at once, whenever it is expected. */
  materialHere: z.boolean().default(false),
  /** Jobs in the order of their orders' due times, as far as less is late so; else as they wait. */
  byDueTimes: z.boolean().default(false),
  /** Orders of which only what is begun is still done. */
  without: z.array(orderNumber).max(1000).default([]),
  /** Orders whose jobs come before those of all others, in this order. */
  first: z.array(orderNumber).max(1000).default([]),
  /** Due times in the place of the orders' own. */
  due: z
    .array(z.object({ orderId: orderNumber, dueAt }))
    .max(1000)
    .default([]),
  rush: RushWork.nullable().default(null),
  /** Room on delivery volumes, in bytes. */
  room: z
    .array(z.object({ volumeId: z.int().positive(), freeBytes: z.number().min(0) }))
    .max(1000)
    .default([]),
})
export type Supposed = z.infer<typeof Supposed>

/** What an outlook is of: all orders' work as it is, or as is supposed. */
export const WhatIf = Supposed.extend({
  /** Whether drafts of all orders count, behind what waits. */
  withDrafts: z.boolean().default(false),
  /** Whether announced material counts that is planned with a spec, behind those. */
  withAnnounced: z.boolean().default(false),
})
export type WhatIf = z.infer<typeof WhatIf>

/** Nothing is supposed to be otherwise. */
export const asItIs: Supposed = Supposed.parse({})

/** Whether anything is supposed to be otherwise. */
export function isSupposing(supposed: Supposed): boolean {
  return (Object.keys(asItIs) as (keyof Supposed)[]).some(
    key => JSON.stringify(supposed[key]) !== JSON.stringify(asItIs[key]),
  )
}

/** Number of the order that supposed work belongs to; no real one has it. */
export const rushOrderId = 0

export type OrderOfOutlook = Pick<OrderRecord, 'id' | 'code' | 'name' | 'dueAt' | 'lateWeight'>

/** Orders with the due times that are supposed, and supposed work as one more. */
export function supposedOrders(orders: readonly OrderOfOutlook[], { due, rush }: Supposed): OrderOfOutlook[] {
  const supposed = new Map(due.map(entry => [entry.orderId, entry.dueAt]))
  const own = orders.map(order => (supposed.has(order.id) ? { ...order, dueAt: supposed.get(order.id)! } : order))
  return rush ? [{ id: rushOrderId, code: 'Rush', name: 'supposed', dueAt: rush.dueAt, lateWeight: 1 }, ...own] : own
}

/** A job as far as it matters where it comes. */
interface Placed {
  orderId: number
}

/** Jobs that are not begun, as they come when it is supposed: without some orders, and others first. @param jobs as they come now */
export function supposedSequence<Job extends Placed>(jobs: readonly Job[], { without, first }: Supposed): Job[] {
  const ranks = new Map(first.map((orderId, rank) => [orderId, rank]))
  const rank = ({ orderId }: Job) => ranks.get(orderId) ?? first.length
  const gone = new Set(without)
  // Sorting keeps jobs of equal rank as they are.
  return jobs.filter(({ orderId }) => !gone.has(orderId)).sort((a, b) => rank(a) - rank(b))
}
