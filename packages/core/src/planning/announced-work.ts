import { z } from 'zod'
import { encoderNeed } from '../devices/device.ts'
import {
  announcedExtent,
  announcedRate,
  forecastAnnounced,
  type AnnouncedRate,
  type KnownOfSpec,
} from '../forecast/announced.ts'
import type { JobExtent, JobForecast } from '../forecast/forecast.ts'
import type { PlannedSource } from '../inventory.ts'
import type { DeliverySpec } from '../spec/schema.ts'
import { specTitle } from '../spec/index.ts'
import { each, type Turns } from '../turns.ts'
import { laneWork, sharedSize, type ForecastGround } from './outline.ts'
import type { Entry } from './entry.ts'
import { asTest, likeTest, type MeasuredTest } from './render-or-treat.ts'

/** Announced material that is to be done with a spec. */
export interface AnnouncedItem {
  /** Of the inventory. */
  id: number
  orderId: number
  planned: PlannedSource
  specKey: string
  /** Of the draft that it is done like, by its sample; null where the spec alone says how. */
  likeId: number | null
}

/** What is known of announced material: measured sources by the key of their spec. */
export interface AnnouncedGround {
  items: readonly AnnouncedItem[]
  specs: ReadonlyMap<string, DeliverySpec>
  known: ReadonlyMap<string, readonly KnownOfSpec[]>
  /** Measured drafts that material is done like, by their samples. */
  likes: ReadonlyMap<number, MeasuredTest>
}

/** How much announced material an order has, and of how much of it nothing can be told; null where it does not count. */
export const AnnouncedCount = z.object({
  orderId: z.int(),
  items: z.int().positive(),
  unknown: z.int().min(0).nullable(),
  /** Of how many nobody said when they are expected: they are taken for here. */
  undated: z.int().min(0),
  /** When the last of the others is expected, ISO 8601. */
  lastExpected: z.iso.datetime().nullable(),
})
export type AnnouncedCount = z.infer<typeof AnnouncedCount>

/** Counts by order. @param entries of the items, where they count */
export function announcedCounts(
  { items }: Pick<AnnouncedGround, 'items'>,
  entries: readonly Pick<Entry, 'orderId' | 'work'>[] | null,
): AnnouncedCount[] {
  const byOrder = new Map<number, AnnouncedItem[]>()
  for (const item of items) {
    const own = byOrder.get(item.orderId)
    if (own) own.push(item)
    else byOrder.set(item.orderId, [item])
  }
  return [...byOrder].map(([orderId, own]) => {
    const expected = own.flatMap(({ planned }) => planned.expectedAt ?? []).sort()
    return {
      orderId,
      items: own.length,
      unknown: entries && entries.filter(entry => entry.orderId === orderId && !entry.work).length,
      undated: own.length - expected.length,
      lastExpected: expected.at(-1) ?? null,
    }
  })
}

/** Jobs that are not there have numbers below zero: those of rush work first. */
const firstNumber = 1_000_000

/**
 * Jobs of announced material as plans take them, in the order of the inventory. Where nobody has said that they are done like a draft, they are taken as the spec
 * alone has them.
 * @param volumeOf the delivery volume that an order's results go to; null where there is none
 */
export function* announcedEntries(
  { items, specs, known, likes }: AnnouncedGround,
  volumeOf: (orderId: number) => number | null,
  forecasts: Pick<ForecastGround, 'calibrations'>,
): Turns<Entry[]> {
  const entries: Entry[] = []
  const telling = new Telling(known)
  yield* each(items, item => {
    const spec = specs.get(item.specKey)
    const like = item.likeId === null ? undefined : likes.get(item.likeId)
    const told = like ? toldLike(item.planned, like, forecasts) : spec ? telling.of(item.planned, spec) : null
    const id = -firstNumber - item.id
    const volumeId = volumeOf(item.orderId)
    entries.push({
      id,
      orderId: item.orderId,
      state: 'draft',
      sourceName: item.planned.name,
      specName: spec ? specTitle(spec) : item.specKey,
      work:
        told &&
        laneWork(
          { id, state: 'draft', progress: null, extent: told.extent, need: spec && encoderNeed(spec) },
          told.forecast,
        ),
      expectedAt: item.planned.expectedAt,
      output:
        volumeId === null
          ? null
          : { volumeId, bytes: told?.forecast.bytes ?? null, shared: told && sharedSize(told.forecast) },
    })
  })
  return entries
}

/** What an item is and takes that is done like a draft; null where its frames are not announced. */
function toldLike(
  { seconds, framesPerSecond }: PlannedSource,
  like: MeasuredTest,
  forecasts: Pick<ForecastGround, 'calibrations'>,
): Told | null {
  if (seconds === null || framesPerSecond === null) return null
  const frames = Math.round((seconds * framesPerSecond * like.extent.frames) / like.sourceFrames)
  return likeTest(asTest(like, forecasts), Math.max(1, frames))
}

interface Told {
  extent: JobExtent
  forecast: JobForecast
}

/** Tells items one after the other; what is measured is looked at once for all that are of one kind. */
class Telling {
  private readonly rates = new Map<string, AnnouncedRate | null>()

  constructor(private readonly known: AnnouncedGround['known']) {}

  /** What an item is and takes; null where that cannot be told. */
  of(planned: PlannedSource, spec: DeliverySpec): Told | null {
    const extent = announcedExtent(planned, spec)
    if (!extent) return null
    const kind = JSON.stringify([spec.key, planned.scan, extent.pixels, extent.sizeIs])
    if (!this.rates.has(kind))
      this.rates.set(kind, announcedRate(planned, extent, spec, this.known.get(spec.key) ?? []))
    const rate = this.rates.get(kind)!
    return rate && { extent, forecast: forecastAnnounced(rate, extent) }
  }
}
