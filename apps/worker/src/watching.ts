import { keepLook, sequencesByPath, sourceNumbersByPath, takeDueWatch, type VolumeRow } from '@hematine/database'
import { VolumeProblem } from '@hematine/media/volumes/volume-files'
import type { Hands } from './kinds/kind.ts'
import { lookAtWatch } from './scanning.ts'

/** Looks at every watched folder that is due. */
export async function lookAtWatches(hands: Hands): Promise<void> {
  try {
    for (;;) {
      const watch = hands.isStopping ? null : await takeDueWatch(hands.em)
      if (!watch) return
      const volume = watch.volume.getEntity() as VolumeRow
      const known = await sourceNumbersByPath(hands.em, watch.order.id, volume.id)
      const sequences = await sequencesByPath(hands.em, watch.order.id, volume.id)
      const look = await lookAtWatch(watch, volume, new Set(known.keys()), sequences).catch((error: unknown) => {
        if (!(error instanceof VolumeProblem)) throw error
        return { growing: watch.growing, arrivals: [], problem: error.message }
      })
      await keepLook(hands.em, hands.queue, watch.id, look)
    }
  } catch (error) {
    hands.log.error({ error: (error as Error).message }, 'a watched folder could not be looked at; trying again')
  }
}
