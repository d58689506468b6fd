import type { EntityManager } from '@mikro-orm/postgresql'
import {
  describeCodec,
  describeMotionShort,
  describePictureSize,
  findingNames,
  type SourceCondition,
  type SourceFacts,
  type SourceFilter,
  type SourceRow as SourceLine,
  type SourceSort,
} from '@hematine/core'
import { SourceEntity, type SourceRow } from './entities.ts'

/** A piece of SQL with its values. */
interface Where {
  sql: string
  values: unknown[]
}

const columns: Record<Exclude<SourceCondition['field'], 'finding' | 'jobs'>, string> = {
  name: 'name',
  material: 'material',
  codec: 'codec',
  scan: 'scan',
  state: 'state',
  width: 'width',
  height: 'height',
  rate: 'rate',
  seconds: 'seconds',
  bytes: 'bytes',
  faults: 'fault_count',
}

function condition(entry: SourceCondition): Where {
  if (entry.field === 'finding')
    return { sql: `finding_keys ${entry.how === 'has' ? 'like' : 'not like'} ?`, values: [`%,${entry.value},%`] }
  if (entry.field === 'jobs')
    return {
      sql: `${entry.how === 'has' ? '' : 'not '}exists (select 1 from job where job.source_id = source.id and job.state <> 'cancelled')`,
      values: [],
    }
  const column = columns[entry.field]
  switch (entry.how) {
    case 'contains':
      return { sql: `strpos(lower(${column}), lower(?)) > 0`, values: [entry.value] }
    case 'contains not':
      return { sql: `strpos(lower(${column}), lower(?)) = 0`, values: [entry.value] }
    case 'is':
      return { sql: `${column} = ?`, values: [entry.value] }
    case 'is not':
      return { sql: `${column} is distinct from ?`, values: [entry.value] }
    case 'at least':
      return { sql: `${column} >= ?`, values: [entry.value] }
    case 'at most':
      return { sql: `${column} <= ?`, values: [entry.value] }
  }
}

/** The sources of an order that a filter lets through, as a condition on the table. */
export function whereSources(orderId: number, filter: SourceFilter): Where {
  const parts = [{ sql: 'source.order_id = ?', values: [orderId] as unknown[] }, ...filter.map(condition)]
  return { sql: parts.map(part => part.sql).join(' and '), values: parts.flatMap(part => part.values) }
}

const sorts: Record<SourceSort, string> = {
  name: 'name',
  picture: 'width * height',
  rate: 'rate',
  codec: 'codec',
  seconds: 'seconds',
  bytes: 'bytes',
  faults: 'fault_count',
  came: 'id',
}

export interface SourcePage {
  orderId: number
  /** A lot's sources only; null for those in none; undefined for all. */
  lotId?: number | null
  filter: SourceFilter
  sort: SourceSort
  descending: boolean
  offset: number
  limit: number
}

function pageWhere({ orderId, filter, lotId }: Pick<SourcePage, 'orderId' | 'filter' | 'lotId'>): Where {
  const where = whereSources(orderId, filter)
  if (lotId === undefined) return where
  return lotId === null
    ? { sql: `${where.sql} and lot_id is null`, values: where.values }
    : { sql: `${where.sql} and lot_id = ?`, values: [...where.values, lotId] }
}

/** Some lines of a list of sources, and how many there are in all. */
export async function pageOfSources(
  em: EntityManager,
  page: SourcePage,
): Promise<{ total: number; rows: SourceLine[] }> {
  const where = pageWhere(page)
  const connection = em.getConnection()
  const [counted] = await connection.execute<{ total: number }[]>(
    `select count(*)::int as total from source where ${where.sql}`,
    where.values,
  )
  const direction = page.descending ? 'desc' : 'asc'
  const ids = (
    await connection.execute<{ id: number }[]>(
      `select id from source where ${where.sql} order by ${sorts[page.sort]} ${direction} nulls last, id ${direction} limit ? offset ?`,
      [...where.values, page.limit, page.offset],
    )
  ).map(row => row.id)
  const rows = await em.find(SourceEntity, { id: { $in: ids } })
  const counts =
    ids.length === 0
      ? []
      : await connection.execute<{ source_id: number; count: number }[]>(
          `select source_id, count(*)::int as count from job where state <> 'cancelled' and source_id in (${ids.map(() => '?').join(', ')}) group by source_id`,
          ids,
        )
  const countOf = new Map(counts.map(row => [row.source_id, row.count]))
  const byId = new Map(rows.map(row => [row.id, row]))
  return {
    total: counted?.total ?? 0,
    rows: ids.flatMap(id => (byId.has(id) ? [sourceLine(byId.get(id)!, countOf.get(id) ?? 0)] : [])),
  }
}

/** Numbers of all sources that a filter lets through, in a list's order; for choosing many at once. */
export async function sourceIdsOf(
  em: EntityManager,
  page: Pick<SourcePage, 'orderId' | 'filter' | 'lotId'>,
): Promise<number[]> {
  const where = pageWhere(page)
  return (
    await em
      .getConnection()
      .execute<{ id: number }[]>(`select id from source where ${where.sql} order by name, id`, where.values)
  ).map(row => row.id)
}

function soundOf({ audio }: SourceFacts): string {
  if (audio.length === 0) return 'none'
  return `${audio.length > 1 ? `${audio.length} x ` : ''}${describeCodec(audio[0]!.codec)}`
}

function sourceLine(row: SourceRow, jobCount: number): SourceLine {
  const { facts } = row
  return {
    id: row.id,
    name: row.name,
    relativePath: row.relativePath,
    state: row.state,
    reason: row.reason ?? null,
    picture: facts?.video ? describePictureSize(facts.video) : '',
    motion: facts?.video && row.material === 'moving picture' ? describeMotionShort(facts.video) : '',
    codec: facts?.video ? describeCodec(facts.video.codec) : facts ? 'sound only' : '',
    sound: facts ? soundOf(facts) : '',
    seconds: row.seconds ?? null,
    bytes: row.bytes ?? null,
    lotId: row.lot?.id ?? null,
    lotByHand: row.lotByHand,
    measureState: row.measureState,
    faults: (row.findings ?? [])
      .filter(entry => entry.kind === 'fault')
      .map(entry => findingNames[entry.key])
      .filter((name, index, all) => all.indexOf(name) === index),
    remarks: facts?.remarks.length ?? 0,
    jobCount,
  }
}

/** How many sources of an order there are, how many wait for a decision (read, without a job), and how many are still being read or measured. */
export async function countSources(
  em: EntityManager,
  orderId: number,
): Promise<{ all: number; undecided: number; reading: number; measuring: number; refused: number }> {
  const [row] = await em
    .getConnection()
    .execute<{ all: number; undecided: number; reading: number; measuring: number; refused: number }[]>(
      `select count(*)::int as all, count(*) filter (where state = 'ready' and not exists (select 1 from job where job.source_id = source.id and job.state <> 'cancelled'))::int as undecided,
       count(*) filter (where state = 'reading')::int as reading, count(*) filter (where measure_state in ('waiting', 'measuring'))::int as measuring, count(*) filter (where state = 'refused')::int as refused
     from source where order_id = ?`,
      [orderId],
    )
  return row!
}
