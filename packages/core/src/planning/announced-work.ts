import { z } from 'zod'
import { announcedExtent, forecastAnnounced, type KnownOfSpec } from '../forecast/announced.ts'
import type { JobForecast } from '../forecast/forecast.ts'
import type { PlannedSource } from '../inventory.ts'
import type { DeliverySpec } from '../spec/schema.ts'
import { specTitle } from '../spec/index.ts'
import { each, type Turns } from '../turns.ts'
import { laneWork, sharedSize } from './outline.ts'
import type { Entry } from './entry.ts'

/** Announced material that is to be done with a spec. */
export interface AnnouncedItem {
  /** Of the inventory. */
  id: number
  orderId: number
  planned: PlannedSource
  specKey: string
}

/** What is known of announced material: measured sources by the key of their spec. */
export interface AnnouncedGround {
  items: readonly AnnouncedItem[]
  specs: ReadonlyMap<string, DeliverySpec>
  known: ReadonlyMap<string, readonly KnownOfSpec[]>
}

/** How much announced material an order has, and of how much of it nothing can be told. */
export const AnnouncedCount = z.object({ orderId: z.int(), items: z.int().positive(), unknown: z.int().min(0) })
export type AnnouncedCount = z.infer<typeof AnnouncedCount>

/** Counts by order. */
export function announcedCounts(entries: readonly Pick<Entry, 'orderId' | 'work'>[]): AnnouncedCount[] {
  const counts = new Map<number, AnnouncedCount>()
  for (const { orderId, work } of entries) {
    const count = counts.get(orderId) ?? { orderId, items: 0, unknown: 0 }
    counts.set(orderId, { orderId, items: count.items + 1, unknown: count.unknown + (work ? 0 : 1) })
  }
  return [...counts.values()]
}

/** Jobs that are not there have numbers below zero: those of rush work first. */
const firstNumber = 1_000_000

/**
 * Jobs of announced material as plans take them, in the order of the inventory. Nobody has decided how they are treated, so they are taken as the spec alone has them.
 * @param volumeOf the delivery volume that an order's results go to; null where there is none
 */
export function* announcedEntries(
  { items, specs, known }: AnnouncedGround,
  volumeOf: (orderId: number) => number | null,
): Turns<Entry[]> {
  const entries: Entry[] = []
  yield* each(items, item => {
    const spec = specs.get(item.specKey)
    if (!spec) return
    const forecast = forecastOfItem(item, spec, known.get(item.specKey) ?? [])
    const id = -firstNumber - item.id
    const volumeId = volumeOf(item.orderId)
    entries.push({
      id,
      orderId: item.orderId,
      state: 'draft',
      sourceName: item.planned.name,
      specName: specTitle(spec),
      work: forecast && laneWork({ id, state: 'draft', progress: null, extent: forecast.extent }, forecast),
      output:
        volumeId === null
          ? null
          : { volumeId, bytes: forecast?.bytes ?? null, shared: forecast && sharedSize(forecast) },
    })
  })
  return entries
}

function forecastOfItem(
  { planned }: AnnouncedItem,
  spec: DeliverySpec,
  known: readonly KnownOfSpec[],
): (JobForecast & { extent: NonNullable<ReturnType<typeof announcedExtent>> }) | null {
  const extent = announcedExtent(planned, spec)
  const forecast = extent && forecastAnnounced(planned, extent, spec, known)
  return forecast && { ...forecast, extent: extent! }
}
