import { planOf, sectorBytes, type Planned } from '@hematine/core'
import { assetBytes, sourceVolumeOf, unreadableOf, type EntityManager, type SourceRow } from '@hematine/database'
import { provideAssets } from '@hematine/media/treating/assets'
import type { MediaInput } from '@hematine/media/ground/media-input'
import { sourceInput } from '@hematine/media/volumes/source-input'

/** Where a source's bytes are; of a title, with what its drive could not read. @throws VolumeProblem */
export async function inputOf(em: EntityManager, source: SourceRow): Promise<MediaInput> {
  const volume = sourceVolumeOf(source)
  const input = await sourceInput(source, volume.path)
  if (input.kind === 'title' && source.disc) {
    const unreadable = await unreadableOf(em, volume.id, source.disc.path)
    input.unreadable = unreadable.map(({ from, to }) => ({
      path: input.parts[0]!.path,
      at: from * sectorBytes,
      bytes: (to - from + 1) * sectorBytes,
    }))
  }
  return input
}

/** Spec and treatment of a row, whose tables and pictures lie where its steps look for them. @throws MissingAsset */
export async function withAssets(em: EntityManager, row: Parameters<typeof planOf>[0]): Promise<Planned> {
  await provideAssets(row.treatment, assetBytes(em))
  return planOf(row)
}
