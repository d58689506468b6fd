import { keepScanned, nextDirectory, type VolumeRow } from '@hematine/database'
import { scanDirectory } from '../scanning.ts'
import type { Kind } from './kind.ts'

/** Going through a folder, one directory after another, until it is through, stopped, or the worker leaves. */
export const scan: Kind<'scan'> = {
  name: 'scan',
  lanes: 1,
  processor: null,
  leadsTo: ['facts'],
  async run({ scanId }, hands) {
    for (;;) {
      const next = hands.isStopping ? null : await nextDirectory(hands.em, scanId)
      if (!next) return
      const volume = next.scan.volume.getEntity() as VolumeRow
      const scanned = await scanDirectory(volume, next.directory, next.scan.frameRate)
      await hands.persist(() => keepScanned(hands.em, hands.queue, scanId, scanned))
    }
  },
}
