import { z } from 'zod'

/** What steps need beside their settings: lookup tables and pictures, kept once in the library under the hash of their bytes. */
export const AssetKind = z.enum(['lookup table', 'picture'])
export type AssetKind = z.infer<typeof AssetKind>

/** How a step names an asset. The name is for people. */
export const AssetRef = z.object({
  sha256: z.string().regex(/^[0-9a-f]{64}$/, 'must be a SHA-256 in small hexadecimal digits'),
  name: z.string().trim().min(1).max(120),
})
export type AssetRef = z.infer<typeof AssetRef>

export const AssetRecord = AssetRef.extend({
  kind: AssetKind,
  /** "cube of 33", "400x120". */
  about: z.string(),
  bytes: z.int().positive(),
})
export type AssetRecord = z.infer<typeof AssetRecord>

/** Name of an asset's file in a directory of them. */
export function assetFileName({ sha256 }: Pick<AssetRef, 'sha256'>, kind: AssetKind): string {
  return `${sha256}.${kind === 'picture' ? 'png' : 'cube'}`
}

/** An asset that a step names and the library does not have; the message is a sentence. */
export class MissingAsset extends Error {}
