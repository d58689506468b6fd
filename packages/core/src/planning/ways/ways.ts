import type { JobForecast } from '../../forecast/forecast.ts'
import { each, type Turns } from '../../turns.ts'
import { forecastOf, type JobOutline } from '../outline.ts'
import { sharingOf } from '../sharing.ts'
import { comesTo } from './choosing.ts'
import { lotWays } from './lot-ways.ts'
import { bytesLimit, draftsToChoose, laneLimit, WaysPlan, type WaysGround } from './plan.ts'
import type { Ways, WaysAsked } from './records.ts'
import { tradeOffs } from './trade-off.ts'

/** Points of the trade-off that are told at most. */
const mostTradeOffs = 60
/**
 * Finds the way of each of an order's lots that keeps most likeness within the limits of room and time. What is counted is the mean likeness by length and weight.
 * Held jobs and other orders' drafts are not in it. Nothing is changed.
 * @param at when it is worked out
 */
export function* waysOf(ground: WaysGround, asked: WaysAsked, at: Date): Turns<Ways> {
  const { orderId, machine } = ground
  const own = ground.jobs.filter(job => job.orderId === orderId && job.state === 'draft')
  const forecasts = new Map<number, JobForecast | null>()
  yield* each(ground.jobs, job => void forecasts.set(job.id, forecastOf(job, ground.forecasts)))
  const forecastFor = (job: JobOutline) => forecasts.get(job.id)!
  const specs = new Map<string, Ways['specs'][number]>()
  // Sound alone is no other way of a picture: it comes beside it.
  const pictures = own.filter(({ extent }) => extent.pixels > 0)
  for (const { specKey, specName } of pictures)
    specs.set(specKey, { specKey, specName, drafts: (specs.get(specKey)?.drafts ?? 0) + 1 })
  const lots = lotWays(pictures, asked.specKeys ?? [...specs.keys()], forecastFor)
  yield
  const plan = new WaysPlan(ground, asked, at, { lots, own, forecastFor })
  const { open } = plan
  const choosing = plan.choosing()
  const { picks, bound, missing } = yield* plan.solve(choosing)
  const specOf = new Map(open.map((lot, index) => [lot, plan.choices(lot)[picks[index]!]!.specKey]))
  const { chosen, ends } = yield* plan.comeTo(picks)
  const weights = open.reduce((sum, lot) => sum + plan.weigh(lot), 0)
  const others = open.flatMap(lot =>
    draftsToChoose(lot).flatMap(({ id, specKey }) => (specKey === specOf.get(lot) ? [] : [id])),
  )
  const points = open.length > 0 ? yield* tradeOffs(choosing, [laneLimit, bytesLimit], mostTradeOffs) : []
  return {
    at: at.toISOString(),
    lanes: machine.lanes,
    sharing: sharingOf(machine, ends.slowing),
    room: plan.room,
    specs: [...specs.values()],
    lots: lots.map(lot => ({
      lotId: lot.lotId,
      name: lot.lotId === null ? 'In no lot' : (ground.names.get(lot.lotId) ?? `Lot ${lot.lotId}`),
      sources: lot.sources,
      sourceName: lot.drafts[0]![0]!.sourceName,
      material: lot.material,
      weight: plan.weightOf(lot),
      ways: lot.ways,
      chosen: specOf.get(lot) ?? null,
      isByHand: plan.byHand(lot) !== null,
    })),
    besides: plan.besides,
    chosen: {
      ...chosen,
      likeness: weights > 0 ? comesTo(choosing, picks).worth / weights : null,
    },
    mostLikeness: weights > 0 && Number.isFinite(bound) ? bound / weights : null,
    missing,
    tradeOffs: points.map(point => ({
      specKeys: point.picks.map((pick, index) => plan.choices(open[index]!)[pick]!.specKey),
      seconds: point.takes[laneLimit]! + plan.besides.seconds.expected,
      bytes: point.takes[bytesLimit]! + plan.besides.bytes.expected,
      likeness: weights > 0 ? point.worth / weights : 0,
    })),
    others,
  }
}
