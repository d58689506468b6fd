import { onlyNamed, type PlannedSource } from '@hematine/core'
import { seeded } from './paint.ts'

/** Announced material of one kind, and the spec that it is planned with. */
export interface AnnouncedLot {
  specKey: string
  sources: PlannedSource[]
}

const hour = 3600_000

/**
 * The inventory of the harbour archive, none of which is here: four hundred tapes, discs, sequences and glass plates in boxes of twenty. Discs are on their way,
 * a box of tapes comes every five hours, sequences come as they are rendered, and of the plates nobody said when. The same in every run.
 * Bytes are those of the source: DV has 3.6 MB a second, a disc about 0.75.
 * @param at when it is announced
 */
export function archiveInventory(at: Date): AnnouncedLot[] {
  const afterHours = (hours: number) => new Date(at.getTime() + hours * hour).toISOString()
  const random = seeded(400)
  const minutes = (low: number, high: number) => Math.round(60 * (low + random() * (high - low)))
  const lot = (count: number, make: (number: number, box: number) => PlannedSource) =>
    Array.from({ length: count }, (_, index) => make(101 + index, 1 + Math.floor(index / 20)))
  const tapes = lot(150, (number, box) => {
    const seconds = minutes(38, 63)
    return {
      ...{ ...onlyNamed(`Harbour inspection tape ${number}`), carrier: `DV tape, box ${box}`, seconds },
      expectedAt: afterHours(5 * box),
      ...{ width: 720, height: 576, framesPerSecond: 25, scan: 'interlaced', codec: 'DV', bytes: seconds * 3_600_000 },
    }
  })
  const discs = lot(60, (number, box) => {
    const seconds = minutes(24, 72)
    return {
      ...{ ...onlyNamed(`Keepers' training disc ${number}`), carrier: `disc, box ${box}`, seconds },
      expectedAt: afterHours(3),
      ...{
        width: 720,
        height: 576,
        framesPerSecond: 25,
        scan: 'interlaced',
        codec: 'MPEG-2',
        bytes: seconds * 750_000,
      },
    }
  })
  const sequences = lot(30, number => ({
    ...{ ...onlyNamed(`Approach render ${number}`), carrier: 'hard disk 4', seconds: minutes(0.2, 1.5) },
    ...{ width: 1920, height: 1080, framesPerSecond: 24, scan: 'progressive', notes: 'still being rendered' },
    expectedAt: afterHours(number - 100),
  }))
  const plates = lot(160, (number, box) => ({
    ...{ ...onlyNamed(`Glass plate ${number}`), carrier: `glass plates, box ${box}`, width: 4800, height: 3600 },
  }))
  return [
    { specKey: 'small-mp4', sources: [...tapes, ...discs] },
    { specKey: 'playback-box', sources: sequences },
    { specKey: 'still-png', sources: plates },
  ]
}
