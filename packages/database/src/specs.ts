import { isDeepStrictEqual } from 'node:util'
import type { EntityManager } from '@mikro-orm/postgresql'
import {
  builtInSpecs,
  DeliverySpec,
  specProblems,
  type PictureSpec,
  type RateControl,
  type SpecDraft,
  type SpecRecord,
} from '@hematine/core'
import { SpecEntity, type SpecRow } from './entities.ts'
import { Problem } from './problem.ts'
import { run } from './sql.ts'

/** One change of the library of specs at a time. */
const lock = 7005

/** The newest version of every spec: those that ship first, in their order, then a person's by name. */
export async function listSpecs(em: EntityManager): Promise<SpecRecord[]> {
  const rows = await newest(em)
  const place = (row: SpecRow) => {
    const index = builtInSpecs.findIndex(spec => spec.key === row.key)
    return index < 0 ? builtInSpecs.length : index
  }
  return rows
    .sort((a, b) => place(a) - place(b) || a.spec.name.localeCompare(b.spec.name, 'en') || a.id - b.id)
    .map(specRecord)
}

async function newest(em: EntityManager): Promise<SpecRow[]> {
  const byKey = new Map<string, SpecRow>()
  for (const row of await em.find(SpecEntity, {}, { orderBy: { version: 1 } })) byKey.set(row.key, row)
  return [...byKey.values()]
}

function specRecord(row: SpecRow): SpecRecord {
  return {
    spec: { ...row.spec, key: row.key, version: row.version },
    version: row.version,
    isShipped: row.isShipped,
    createdAt: row.createdAt!.toISOString(),
  }
}

/** The newest versions of all specs by their keys. */
export async function specsByKey(em: EntityManager): Promise<Map<string, DeliverySpec>> {
  return new Map((await newest(em)).map(row => [row.key, specRecord(row).spec]))
}

/** The newest version of a spec. @throws Problem 404 */
export async function specCalled(em: EntityManager, key: string): Promise<DeliverySpec> {
  const row = await em.findOne(SpecEntity, { key }, { orderBy: { version: -1 } })
  if (!row) throw new Problem(404, 'not-found', `There is no delivery spec ${key}.`)
  return specRecord(row).spec
}

/** Puts the specs that ship with Hematine into the library; one that a newer Hematine ships otherwise becomes another version. */
export async function seedSpecs(em: EntityManager): Promise<void> {
  await em.transactional(async tx => {
    await run(tx, 'select pg_advisory_xact_lock(?)', [lock])
    const there = new Map((await newest(tx)).map(row => [row.key, row]))
    for (const spec of builtInSpecs) {
      const last = there.get(spec.key)
      if (last && isDeepStrictEqual(last.spec, plain(spec))) continue
      tx.create(SpecEntity, { key: spec.key, version: (last?.version ?? 0) + 1, spec: plain(spec), isShipped: true })
    }
  })
}

/** As the database gives it back. */
const plain = (spec: DeliverySpec): DeliverySpec => JSON.parse(JSON.stringify(spec)) as DeliverySpec

/**
 * Keeps a spec: as a new one, or as the next version of one that a person made. What is as it was stays the version that it is.
 * @param key of the spec that it is a version of; null for a new one
 * @throws Problem 404 when there is none, 409 when it ships with Hematine or makes no sense
 */
export async function keepSpec(em: EntityManager, draft: SpecDraft, key: string | null): Promise<SpecRecord> {
  return em.transactional(async tx => {
    await run(tx, 'select pg_advisory_xact_lock(?)', [lock])
    const rows = await newest(tx)
    const last = key === null ? null : rows.find(row => row.key === key)
    if (last === undefined) throw new Problem(404, 'not-found', `There is no delivery spec ${key}.`)
    if (last?.isShipped)
      throw new Problem(
        409,
        'shipped-spec',
        `${last.spec.name} ships with Hematine and stays as it is. Copy it, then change the copy.`,
      )
    const namesake = rows.find(row => row.key !== key && row.spec.name.toLowerCase() === draft.name.toLowerCase())
    if (namesake)
      throw new Problem(409, 'same-name', `There is a spec called ${namesake.spec.name} already. Choose another name.`)
    const spec = plain(DeliverySpec.parse({ ...draft, key: last?.key ?? freeKey(draft.name, rows) }))
    const problems = specProblems(spec)
    if (problems.length > 0) throw new Problem(409, 'bad-spec', problems.join(' '))
    if (last && isDeepStrictEqual(last.spec, spec)) return specRecord(last)
    const row = tx.create(SpecEntity, { key: spec.key, version: (last?.version ?? 0) + 1, spec, isShipped: false })
    await tx.flush()
    return specRecord(row as SpecRow)
  })
}

/** A key made of a name that no other spec has: "Festival copy" is "festival-copy", then "festival-copy-2". */
function freeKey(name: string, rows: readonly SpecRow[]): string {
  const stem =
    name
      .normalize('NFKD')
      .replace(/\p{M}/gu, '')
      .toLowerCase()
      .replace(/[^a-z0-9]+/g, '-')
      .replace(/^-+|-+$/g, '')
      .slice(0, 60) || 'spec'
  const taken = new Set(rows.map(row => row.key))
  for (let count = 1; ; count++) {
    const key = count === 1 ? stem : `${stem}-${count}`
    if (!taken.has(key)) return key
  }
}

/** What decides about results made by a spec: not its name, nor what it says it is for. */
function content(spec: DeliverySpec | SpecDraft): object {
  const { key: _key, version: _version, name: _name, purpose: _purpose, ...rest } = spec as DeliverySpec
  return plain(rest as DeliverySpec)
}

/**
 * The spec of the library that spends bits in a way and is otherwise like another one: one that is there, else a new one called after it.
 * @param ending of a new one's name
 */
export async function keepRate(
  em: EntityManager,
  like: PictureSpec,
  rateControl: RateControl,
  ending: string,
): Promise<SpecRecord> {
  const { key: _, version: __, ...draft } = like
  const base = like.name.replace(/ at (quality [\d.]+|[\d.]+ dB)( \(\d+\))?$/, '')
  const wanted: SpecDraft = { ...draft, video: { ...draft.video, rateControl } }
  const rows = await newest(em)
  const same = rows.find(row => isDeepStrictEqual(content(row.spec), content(wanted)))
  if (same) return specRecord(same)
  const taken = new Set(rows.map(row => row.spec.name.toLowerCase()))
  for (let count = 1; ; count++) {
    const end = ` ${ending}${count === 1 ? '' : ` (${count})`}`
    const name = `${base.slice(0, 60 - end.length)}${end}`
    if (!taken.has(name.toLowerCase())) return keepSpec(em.fork(), { ...wanted, name }, null)
  }
}
