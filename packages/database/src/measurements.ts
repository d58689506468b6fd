import { LockMode } from '@mikro-orm/core'
import type { EntityManager } from '@mikro-orm/postgresql'
import {
  cutsOf,
  findingsOf,
  likenessOf,
  materialOf,
  rulesVersion,
  toNumber,
  type MeasureWish,
  type Measurement,
  type MeasureState,
  type SourceFacts,
} from '@hematine/core'
import { MeasurementEntity, SourceEntity, StripEntity, type SourceRow } from './entities.ts'
import { placeInLot } from './lots.ts'
import { found, Problem } from './problem.ts'
import type { TaskQueue } from './queue.ts'

/** What lists sort and filter by, out of a source's facts. */
export function factColumns(facts: SourceFacts | null) {
  const { video } = facts ?? {}
  return {
    material: facts ? materialOf(facts) : null,
    codec: video?.codec ?? facts?.audio[0]?.codec ?? null,
    width: video?.width ?? null,
    height: video?.height ?? null,
    rate: video ? toNumber(video.frameRate) : null,
    seconds: facts?.durationSeconds ?? null,
    bytes: facts?.bytes ?? null,
    scan: facts ? likenessOf(facts, []).scan : null,
  }
}

/** Draws a source's findings from a measurement and puts it into the lot that they give it. */
async function conclude(tx: EntityManager, row: SourceRow, measurement: Measurement): Promise<void> {
  const findings = findingsOf(row.facts!, measurement)
  tx.assign(row, {
    findings,
    rulesVersion,
    measured: {
      depth: measurement.depth,
      ...(measurement.picture && cutsOf(measurement.picture) ? { through: true as const } : {}),
      tookSeconds: measurement.tookSeconds,
    },
    measureState: 'ready',
    measurePart: null,
    measureReason: null,
    findingKeys: `,${findings.map(entry => entry.key).join(',')},`,
    faultCount: findings.filter(entry => entry.kind === 'fault').length,
    scan: likenessOf(row.facts!, findings).scan,
  })
  await placeInLot(tx, row)
}

/** States in which a measurement is still to come. */
const underWay: readonly MeasureState[] = ['waiting', 'measuring']

/** Has sources measured in the background; what was looked through for cuts is once more. Those that are not read yet, or are in line already, are passed over. @returns how many were put in line */
export async function askToMeasure(
  em: EntityManager,
  queue: TaskQueue,
  sourceIds: readonly number[],
  wish: MeasureWish,
): Promise<number> {
  if (sourceIds.length === 0) return 0
  return em.transactional(async tx => {
    const rows = await tx.find(
      SourceEntity,
      { id: { $in: [...sourceIds] }, state: 'ready', measureState: { $nin: [...underWay] } },
      { fields: ['id', 'material', 'measured'] },
    )
    // Stills have nothing that is measured over time or sound.
    const moving = rows.filter(row => row.material !== 'still')
    const ids = moving.map(row => row.id)
    await tx.nativeUpdate(SourceEntity, { id: { $in: ids } }, { measureState: 'waiting', measureReason: null })
    for (const { id, measured } of moving) {
      const depth = wish === 'through' ? (measured?.depth ?? 'sampled') : wish
      const through = wish === 'through' || measured?.through ? { through: true as const } : {}
      await queue.send('measure', { sourceId: id, depth, ...through }, tx, wish === 'sampled' ? -id : 1_000_000)
    }
    return ids.length
  })
}

/** A source about to be measured, with its volume; null when that is no longer wanted. */
export async function beginMeasuring(em: EntityManager, sourceId: number): Promise<SourceRow | null> {
  const row = await em.findOne(SourceEntity, { id: sourceId, state: 'ready' }, { populate: ['volume'] as never })
  if (!row || !underWay.includes(row.measureState)) return null
  em.assign(row, { measureState: 'measuring', measureRun: row.measureRun + 1 })
  await em.flush()
  return row
}

/** A source as it was when a measurement of it began. */
export type BegunMeasurement = Pick<SourceRow, 'id' | 'revision' | 'measureRun'>

export interface StripPicture {
  seconds: number
  picture: Buffer
}

/**
 * Keeps what was measured of a source, what it means, and pictures from places spread over it.
 * @param begun the source when it was begun: what ends after a newer measurement or read began no longer counts
 * @param facts the source's, with what measuring it told of its length
 */
export async function keepSourceMeasurement(
  em: EntityManager,
  { id: sourceId, revision, measureRun }: BegunMeasurement,
  measurement: Measurement,
  facts: SourceFacts,
  strip: readonly StripPicture[],
): Promise<void> {
  await em.transactional(async tx => {
    const row = await tx.findOne(
      SourceEntity,
      { id: sourceId, revision, measureRun },
      { lockMode: LockMode.PESSIMISTIC_WRITE },
    )
    // Ended by a person meanwhile, or taken out.
    if (!row?.facts || !underWay.includes(row.measureState)) return
    await tx.nativeDelete(MeasurementEntity, { source: sourceId })
    await tx.insert(MeasurementEntity, { source: sourceId, measurement } as never)
    await tx.nativeDelete(StripEntity, { source: sourceId })
    if (strip.length > 0)
      await tx.insertMany(
        StripEntity,
        strip.map(({ seconds, picture }, index) => ({ source: sourceId, index, seconds, picture })) as never,
      )
    tx.assign(row, { facts, ...factColumns(facts) })
    await conclude(tx, row, measurement)
  })
}

/** Keeps how far a measurement is, 0 to 1. @returns false when it was ended */
export async function keepMeasuringPart(
  em: EntityManager,
  { id, revision, measureRun }: BegunMeasurement,
  part: number,
): Promise<boolean> {
  return (
    (await em.nativeUpdate(
      SourceEntity,
      { id, revision, measureRun, measureState: 'measuring' },
      { measurePart: part },
    )) > 0
  )
}

/** Ends measurements that wait or are under way; what was found before stays. @returns how many were ended */
export async function stopMeasuring(em: EntityManager, sourceIds: readonly number[]): Promise<number> {
  const where = { id: { $in: [...sourceIds] }, measureState: { $in: [...underWay] } }
  const known = await em.nativeUpdate(
    SourceEntity,
    { ...where, rulesVersion: { $ne: null } },
    { measureState: 'ready', measurePart: null },
  )
  return known + (await em.nativeUpdate(SourceEntity, where, { measureState: 'none', measurePart: null }))
}

/** Keeps why a source could not be measured; see `keepSourceMeasurement`. */
export async function keepMeasuringFailure(
  em: EntityManager,
  { id, revision, measureRun }: BegunMeasurement,
  reason: string,
): Promise<void> {
  await em.nativeUpdate(
    SourceEntity,
    { id, revision, measureRun, measureState: { $in: [...underWay] } },
    { measureState: 'failed', measureReason: reason, measurePart: null },
  )
}

/**
 * Brings sources up to date that were read or measured by an older Hematine: findings by today's rules from the kept measurements, and a lot.
 * @returns how many were brought up to date; call again until it is 0
 */
export async function bringUpToDate(em: EntityManager, most = 50): Promise<number> {
  return em.transactional(async tx => {
    const rows = await tx.find(
      SourceEntity,
      { state: 'ready', $or: [{ lot: null }, { material: null }, { rulesVersion: { $ne: null, $lt: rulesVersion } }] },
      { limit: most, orderBy: { id: 1 } },
    )
    for (const row of rows) {
      const kept = await tx.findOne(MeasurementEntity, { source: row.id })
      tx.assign(row, factColumns(row.facts ?? null))
      if (kept) await conclude(tx, row, kept.measurement)
      else await placeInLot(tx, row)
    }
    return rows.length
  })
}

/** Places of a source's strip of pictures, in order. */
export async function stripOf(em: EntityManager, sourceId: number): Promise<number[]> {
  return (await em.find(StripEntity, { source: sourceId }, { fields: ['seconds'], orderBy: { index: 1 } })).map(
    row => row.seconds,
  )
}

/** One picture of a source's strip, as WebP. */
export async function stripPicture(em: EntityManager, sourceId: number, index: number): Promise<Buffer> {
  const row = await em.findOne(StripEntity, { source: sourceId, index })
  if (!row) throw new Problem(404, 'no-picture', 'There is no such picture of this source.')
  return Buffer.from(row.picture)
}

/** Cuts of those sources whose cuts are all known, by the sources' numbers; see `cutsOf`. What is measured anew is not known. */
export async function cutsOfSources(
  em: EntityManager,
  sourceIds: readonly number[],
): Promise<Map<number, readonly number[]>> {
  const known = new Map<number, readonly number[]>()
  if (sourceIds.length === 0) return known
  for (const { source, measurement } of await em.find(MeasurementEntity, {
    source: { id: { $in: [...sourceIds] }, measureState: { $nin: [...underWay] } },
  } as never)) {
    const cuts = measurement.picture && cutsOf(measurement.picture)
    if (cuts) known.set(source.id, cuts)
  }
  return known
}

/** What was measured of a source, number by number. @throws Problem 404 before it was measured */
export async function measurementOf(em: EntityManager, sourceId: number): Promise<Measurement> {
  return found(await em.findOne(MeasurementEntity, { source: sourceId }), 'measurement of source', sourceId).measurement
}
