import { plannedCover, plannedTags, type DeliverySpec, type SourceFacts } from '@hematine/core'
import type { MediaInput } from '../ground/media-input.ts'
import { openCover } from '../reading/cover.ts'
import type { FileRemarks } from './output.ts'

/** What of a source its result says beside its tracks; `close` frees it once the result is closed. */
export interface BesideTracks {
  remarks: Pick<FileRemarks, 'tags' | 'cover'>
  close(): Promise<void>
}

/** Opens what of a source its result says beside its tracks. @throws MediaError when the source cannot be opened */
export async function openBeside(
  { input, facts, spec }: { input: MediaInput; facts: SourceFacts; spec: DeliverySpec },
  name: string | null,
): Promise<BesideTracks> {
  const planned = plannedCover(facts, spec)
  const cover = planned && input.kind === 'file' ? await openCover(input, planned.streamIndex) : null
  return {
    remarks: { tags: plannedTags(facts, spec, name), cover },
    close: async () => cover?.close(),
  }
}
