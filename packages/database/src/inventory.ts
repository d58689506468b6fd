import type { EntityManager } from '@mikro-orm/postgresql'
import {
  differencesFromPlan,
  forecastJob,
  inventoryKey,
  type AnnouncedGround,
  type JobExtent,
  type KnownOfSpec,
  type PlannedRecord,
  type PlannedSource,
  type SampleMeasurement,
} from '@hematine/core'
import { sourceName } from './as-records.ts'
import {
  OrderEntity,
  PlannedEntity,
  SampleEntity,
  SourceEntity,
  type PlannedRow,
  type SampleRow,
  type SourceRow,
} from './entities.ts'
import { found } from './problem.ts'
import { measuredTestsOf } from './render-tests.ts'
import { specCalled, specsByKey } from './specs.ts'
import { asArray, run } from './sql.ts'

/** Names under which an inventory may know a source: its own, a title's disc, a sequence's folder and stem. */
function keysOf({
  relativePath,
  kind,
  disc,
  sequence,
}: Pick<SourceRow, 'relativePath' | 'kind' | 'disc' | 'sequence'>): string[] {
  const parts = relativePath.split('/')
  const names = [parts.at(-1)!]
  if (kind === 'title' && disc) names.push(disc.path.replace(/\/VIDEO_TS$/i, ''))
  if (kind === 'sequence' && sequence) names.push(sequence.prefix, parts.at(-2) ?? '')
  return [...new Set(names.map(inventoryKey).filter(key => key !== ''))]
}

/** Matches sources to items of the inventory that no source was matched to; the first of several that fit an item is it. */
export async function matchToInventory(
  tx: EntityManager,
  orderId: number,
  sources: readonly SourceRow[],
): Promise<void> {
  const keys = new Map(sources.map(source => [source, keysOf(source)]))
  if (sources.length === 0) return
  const waiting = await tx.find(PlannedEntity, {
    order: orderId,
    source: null,
    key: { $in: [...keys.values()].flat() },
  })
  for (const source of sources) {
    const item = waiting.find(row => !row.source && keys.get(source)!.includes(row.key))
    if (item) item.source = tx.getReference(SourceEntity, source.id, { wrapped: true }) as never
  }
  await tx.flush()
}

/** Adds items to an order's inventory; those whose names it has already are left as they are. Sources that are here are matched at once. */
export async function addToInventory(
  em: EntityManager,
  orderId: number,
  items: readonly PlannedSource[],
): Promise<{ added: number; alreadyThere: number }> {
  return em.transactional(async tx => {
    const order = found(await tx.findOne(OrderEntity, orderId), 'order', orderId)
    const wanted = new Map(items.map(item => [inventoryKey(item.name), item]))
    for (const row of await tx.find(
      PlannedEntity,
      { order: orderId, key: { $in: [...wanted.keys()] } },
      { fields: ['key'] },
    ))
      wanted.delete(row.key)
    for (const [key, planned] of wanted) tx.create(PlannedEntity, { order, planned, key })
    await tx.flush()
    const matched = new Set(
      (await tx.find(PlannedEntity, { order: orderId, source: { $ne: null } }, { fields: ['source'] })).map(
        row => row.source!.id,
      ),
    )
    const sources = await tx.find(SourceEntity, { order: orderId }, { orderBy: { id: 1 } })
    await matchToInventory(
      tx,
      orderId,
      sources.filter(source => !matched.has(source.id)),
    )
    return { added: wanted.size, alreadyThere: items.length - wanted.size }
  })
}

/**
 * Adds items to an order's inventory that are to be done like a draft, with its treatment and its spec; see `addToInventory`.
 * @param sampleId of the draft
 */
export async function addLike(
  em: EntityManager,
  orderId: number,
  items: readonly PlannedSource[],
  { sampleId, specKey }: { sampleId: number; specKey: string },
): Promise<{ added: number; alreadyThere: number }> {
  return em.transactional(async tx => {
    const had = new Set((await tx.find(PlannedEntity, { order: orderId }, { fields: ['key'] })).map(({ key }) => key))
    const outcome = await addToInventory(tx, orderId, items)
    const added = items.map(({ name }) => inventoryKey(name)).filter(key => !had.has(key))
    await tx.nativeUpdate(
      PlannedEntity,
      { order: orderId, key: { $in: added } },
      { specKey, sample: tx.getReference(SampleEntity, sampleId, { wrapped: true }) as never },
    )
    return outcome
  })
}

/** An order's inventory: what is still to come first, by name. */
export async function listInventory(em: EntityManager, orderId: number): Promise<PlannedRecord[]> {
  const rows = await em.find(
    PlannedEntity,
    { order: orderId },
    {
      populate: ['source', 'sample.source'] as never,
      fields: [
        ...['planned', 'specKey', 'source.relativePath', 'source.facts'],
        ...['sample.source.relativePath', 'sample.source.kind', 'sample.source.disc', 'sample.source.sequence'],
      ] as never,
    },
  )
  const records = rows.map((row: PlannedRow): PlannedRecord => {
    const source = row.source?.getEntity() as SourceRow | undefined
    const like = (row.sample?.getEntity() as SampleRow | undefined)?.source.getEntity() as SourceRow | undefined
    return {
      id: row.id,
      orderId,
      planned: row.planned,
      specKey: row.specKey ?? null,
      likeName: like ? sourceName(like) : null,
      sourceId: source?.id ?? null,
      sourceName: source ? sourceName(source) : null,
      differences: source?.facts ? differencesFromPlan(row.planned, source.facts) : [],
    }
  })
  return records.sort(
    (a, b) =>
      Number(a.sourceId !== null) - Number(b.sourceId !== null) ||
      a.planned.name.localeCompare(b.planned.name, 'en', { numeric: true }),
  )
}

/** Plans announced material with a spec, or without one: what of it is not here yet can then be counted ahead. @throws Problem 404 when there is no such spec */
export async function planInventory(em: EntityManager, ids: readonly number[], specKey: string | null): Promise<void> {
  if (specKey !== null) await specCalled(em, specKey)
  await em.nativeUpdate(PlannedEntity, { id: { $in: [...ids] } }, { specKey, sample: null })
}

/** Says when announced material is expected to be here, ISO 8601, or that nobody knows: it is not planned before. */
export async function expectInventory(
  em: EntityManager,
  ids: readonly number[],
  expectedAt: string | null,
): Promise<void> {
  await run(
    em,
    `update planned_source set planned = planned || jsonb_build_object('expectedAt', ?::text) where id = any(?::int[])`,
    [expectedAt, asArray(ids)],
  )
}

/** Measured sources of a spec that stand for announced material at most; the latest count. */
const mostKnown = 60

/** Announced material of all orders that is planned with a spec, and what was measured with those specs. */
export async function announcedGround(em: EntityManager): Promise<AnnouncedGround> {
  const items = await run<AnnouncedGround['items'][number]>(
    em,
    `select id, order_id as "orderId", planned, spec_key as "specKey", sample_id as "likeId" from planned_source where source_id is null and spec_key is not null order by id`,
  )
  const known = new Map<string, KnownOfSpec[]>()
  if (items.length === 0) return { items, specs: new Map(), known, likes: new Map() }
  const rows = await run<Measured>(
    em,
    `select key, extent, measurement, scan from (
       select sample.spec ->> 'key' as key, sample.extent, sample.measurement, source.facts #>> '{video,scan,kind}' as scan,
         row_number() over (partition by sample.spec ->> 'key' order by sample.measured_at desc, sample.id) as place
       from sample join source on source.id = sample.source_id
       where sample.state = 'ready' and sample.extent is not null
         and sample.spec ->> 'key' in (select jsonb_array_elements_text(?::jsonb))) as entry where place <= ?`,
    [JSON.stringify([...new Set(items.map(({ specKey }) => specKey))]), mostKnown],
  )
  for (const { key, extent, measurement, scan } of rows) {
    const entry: KnownOfSpec = {
      extent,
      measurement,
      forecast: forecastJob(measurement, extent),
      scan: scan === null ? null : scan === 'progressive' ? 'progressive' : 'interlaced',
    }
    known.set(key, [...(known.get(key) ?? []), entry])
  }
  return {
    items,
    specs: await specsByKey(em),
    known,
    likes: await measuredTestsOf(em, [...new Set(items.flatMap(({ likeId }) => likeId ?? []))]),
  }
}

interface Measured {
  key: string
  extent: JobExtent
  measurement: SampleMeasurement
  scan: string | null
}

/** Takes items out of an inventory; sources stay. */
export async function removeFromInventory(em: EntityManager, ids: readonly number[]): Promise<void> {
  await em.nativeDelete(PlannedEntity, { id: { $in: [...ids] } })
}
