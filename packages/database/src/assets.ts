import { createHash } from 'node:crypto'
import type { EntityManager } from '@mikro-orm/postgresql'
import type { AssetKind, AssetRecord } from '@hematine/core'
import { AssetEntity, type AssetRow } from './entities.ts'

/** Lookup tables and pictures of the library by name, without their bytes. */
export async function listAssets(em: EntityManager): Promise<AssetRecord[]> {
  const rows = await em
    .getConnection()
    .execute<(Omit<AssetRecord, 'bytes'> & { bytes: number })[]>(
      'select "sha256", "name", "kind", "about", length("data")::int as "bytes" from "asset" order by lower("name"), "sha256"',
    )
  return rows.map(({ sha256, name, kind, about, bytes }) => ({ sha256, name, kind, about, bytes }))
}

/** Keeps a file under the hash of its bytes; one that is there already stays as it is, with its name. */
export async function keepAsset(
  em: EntityManager,
  { name, kind, about, data }: { name: string; kind: AssetKind; about: string; data: Buffer },
): Promise<AssetRecord> {
  const sha256 = createHash('sha256').update(data).digest('hex')
  const row =
    (await em.findOne(AssetEntity, { sha256 })) ??
    (await em.upsert(AssetEntity, { sha256, name, kind, about, data }, { onConflictAction: 'ignore' }))
  return recordOf(row)
}

function recordOf({
  sha256,
  name,
  kind,
  about,
  data,
}: Pick<AssetRow, 'sha256' | 'name' | 'kind' | 'about' | 'data'>): AssetRecord {
  return { sha256, name, kind, about, bytes: data.length }
}

/** An asset with its bytes, or null when there is none of this hash. */
export async function findAsset(em: EntityManager, sha256: string): Promise<(AssetRecord & { data: Buffer }) | null> {
  const row = await em.findOne(AssetEntity, { sha256 })
  return row && { ...recordOf(row), data: Buffer.from(row.data) }
}

/** Finds the bytes of assets for whoever puts them where steps look for them. */
export function assetBytes(em: EntityManager): (sha256: string) => Promise<Buffer | null> {
  return async sha256 => (await findAsset(em, sha256))?.data ?? null
}
