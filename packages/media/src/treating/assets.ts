import { access, mkdir, rename, rm, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import path from 'node:path'
import {
  assetFileName,
  assetsOf,
  MissingAsset,
  type AssetKind,
  type AssetRef,
  type Step,
  type Treatment,
} from '@hematine/core'

/** Where the files that steps need lie for the filters to read: below the data directory, which a process and its children share. */
function assetDirectory(): string {
  return path.join(process.env.HEMATINE_DATA_DIR ?? path.join(tmpdir(), 'hematine'), 'assets')
}

/** Path of an asset's file; `provideAssets` puts it there. */
export function assetPath(asset: Pick<AssetRef, 'sha256'>, kind: AssetKind): string {
  return path.join(assetDirectory(), assetFileName(asset, kind))
}

/**
 * Sees to it that the files of a treatment's assets are there.
 * @param load bytes of an asset, or null when the library has it no longer
 * @throws MissingAsset
 */
export async function provideAssets(
  { steps }: Pick<Treatment, 'steps'>,
  load: (sha256: string) => Promise<Uint8Array | null>,
): Promise<void> {
  const chosen = steps.flatMap((step): Step[] => (step.kind === 'chosen' ? [step.step] : []))
  for (const { asset, kind } of assetsOf(chosen)) {
    const file = assetPath(asset, kind)
    if (
      await access(file).then(
        () => true,
        () => false,
      )
    )
      continue
    const bytes = await load(asset.sha256)
    if (!bytes)
      throw new MissingAsset(
        `The ${kind} "${asset.name}" is not in the library. Add it again, or take its step out of the treatment.`,
      )
    await mkdir(path.dirname(file), { recursive: true })
    const unfinished = `${file}.${process.pid}.part`
    try {
      await writeFile(unfinished, bytes)
      await rename(unfinished, file)
    } finally {
      await rm(unfinished, { force: true })
    }
  }
}
