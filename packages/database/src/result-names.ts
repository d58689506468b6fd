import type { EntityManager } from '@mikro-orm/postgresql'
import { namePatternOf, resultName, type DeliverySpec, type Piece, type Treatment } from '@hematine/core'
import { sourceName } from './as-records.ts'
import { OrderEntity, type JobRow, type LotRow, type SourceRow } from './entities.ts'
import { lotName } from './lots.ts'
import { asArray, run } from './sql.ts'

/** What a result is called after. @param source with its lot loaded */
export interface NamedWork {
  source: SourceRow
  spec: DeliverySpec
  treatment: Treatment
  piece: Piece | null
}

/** Paths of results by the patterns of their specs, in the order of the work. */
export async function resultPaths(em: EntityManager, work: readonly NamedWork[], date: string): Promise<string[]> {
  const orderIds = [...new Set(work.map(({ source }) => source.order.id))]
  const orders = await em.find(OrderEntity, { id: { $in: orderIds } }, { fields: ['id', 'code'] })
  const codes = new Map(orders.map(order => [order.id, order.code]))
  const numbers = await placesOf(
    em,
    work.filter(({ spec }) => namePatternOf(spec).includes('{number}')).map(({ source }) => source.id),
  )
  return work.map(({ source, spec, treatment, piece }) => {
    const lot = source.lot?.getEntity() as LotRow | undefined
    return resultName(spec, {
      item: sourceName(source),
      number: numbers.get(source.id) ?? 0,
      lot: lot ? lotName(lot) : null,
      order: codes.get(source.order.id) ?? '',
      disc: source.disc ?? null,
      result: treatment.result,
      piece,
      date,
    })
  })
}

/** Places of sources in their orders, counted from 1. */
async function placesOf(em: EntityManager, sourceIds: readonly number[]): Promise<Map<number, number>> {
  if (sourceIds.length === 0) return new Map()
  const rows = await run<{ id: number; place: number }>(
    em,
    `select id, place from (
       select id, (row_number() over (partition by order_id order by id))::int as place from source
       where order_id in (select order_id from source where id = any(?::int[]))
     ) placed where id = any(?::int[])`,
    [asArray(sourceIds), asArray(sourceIds)],
  )
  return new Map(rows.map(({ id, place }) => [id, place]))
}

/** Those of some open jobs whose results would have the path of another one, made or yet to be made, in the same volume. */
export async function jobsWhoseNamesMeet(em: EntityManager, jobIds: readonly number[]): Promise<Set<number>> {
  const rows = await run<{ id: number }>(
    em,
    `select job.id from job where job.id = any(?::int[]) and job.state not in ('done', 'cancelled') and (
       exists (select 1 from job other where other.planned_path = job.planned_path and other.id <> job.id
         and other.delivery_volume_id = job.delivery_volume_id and other.state not in ('done', 'failed', 'cancelled'))
       or exists (select 1 from job other where other.output_path = job.planned_path and other.id <> job.id
         and other.delivery_volume_id = job.delivery_volume_id and other.state = 'done'))`,
    [asArray(jobIds)],
  )
  return new Set(rows.map(row => row.id))
}

/** The path that a job's result is to have. @param job with its source loaded */
export function plannedPathOf(job: Pick<JobRow, 'plannedPath' | 'spec' | 'source'>): string {
  // Specs of before there were patterns name a result after its source alone.
  const item = sourceName(job.source.getEntity() as SourceRow)
  const nothing = { number: 0, lot: null, order: '', disc: null, result: null, piece: null, date: '' }
  return job.plannedPath ?? resultName(job.spec, { item, ...nothing })
}
