import type { VolumeRow } from '@hematine/database'
import { spaceOfVolume } from '@hematine/media/volumes/volume-files'

/** The sentence for a volume that is gone, which a process that only sees files would blame on a file. */
export async function volumeProblem(source: VolumeRow, delivery: VolumeRow): Promise<string | null> {
  for (const [volume, mustWrite] of [
    [source, false],
    [delivery, true],
  ] as const) {
    const { problem } = await spaceOfVolume(volume, mustWrite)
    if (problem) return problem.includes(volume.name) ? problem : `${volume.name}: ${problem}`
  }
  return null
}
