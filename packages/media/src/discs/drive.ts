import { open, type FileHandle } from 'node:fs/promises'
import { addSector, sectorBytes, type SectorRange } from '@hematine/core'

/** A sector, or one of several, could not be read. */
export class ReadError extends Error {}

/** Something that discs are read from. */
export interface Drive {
  readonly sectors: number
  /** @throws ReadError when any of them cannot be read */
  read(first: number, count: number): Promise<Uint8Array>
  close(): Promise<void>
}

/** Bytes a second at the single speed of a DVD (ECMA-267: 11.08 Mbit/s). */
const singleSpeed = 1_385_000
/** What a drive spends on trying again before it gives a sector up. */
const givingUpMilliseconds = 150

/** A stand-in for a disc drive: its disc is an image, read at a drive's pace; it fails at the sectors it was told to. */
export class StandInDrive implements Drive {
  private constructor(
    private readonly file: FileHandle,
    readonly sectors: number,
    private readonly speed: number,
    private readonly badSectors: readonly SectorRange[],
  ) {}

  static async open(
    image: string,
    { speed, badSectors }: { speed: number; badSectors: readonly SectorRange[] },
  ): Promise<StandInDrive> {
    const file = await open(image, 'r')
    return new StandInDrive(file, Math.ceil((await file.stat()).size / sectorBytes), speed, badSectors)
  }

  async read(first: number, count: number): Promise<Uint8Array> {
    if (this.badSectors.some(({ from, to }) => from < first + count && to >= first)) {
      await pause(givingUpMilliseconds)
      throw new ReadError(`Sectors ${first} to ${first + count - 1} cannot be read.`)
    }
    const begun = performance.now()
    const buffer = new Uint8Array(count * sectorBytes)
    await this.file.read(buffer, 0, buffer.length, first * sectorBytes)
    await pause((buffer.length / (singleSpeed * this.speed)) * 1000 - (performance.now() - begun))
    return buffer
  }

  async close(): Promise<void> {
    await this.file.close()
  }
}

function pause(milliseconds: number): Promise<void> {
  return milliseconds > 0 ? new Promise(resolve => setTimeout(resolve, milliseconds)) : Promise.resolve()
}

/** Sectors asked for at a time: a block of a DVD's error correction is 16. */
const sectorsAtOnce = 64

/** Tells how far a copy is; false ends it. */
export type CopyProgress = (sectorsDone: number, unreadable: readonly SectorRange[]) => Promise<boolean>

/** Least time between two tellings. */
const tellEveryMilliseconds = 700

/**
 * Copies a disc into a file, sector by sector where a block cannot be read; a sector that cannot is filled with noughts and noted.
 * What `progress` is told is on the disk by then, so that a copy that broke off goes on from there.
 * @param target absolute path; made when it is not there
 * @param done sectors that an earlier try wrote, and which of them it could not read
 * @returns the unreadable sectors, or null when it was ended
 */
export async function copyDisc(
  drive: Drive,
  target: string,
  done: { sectors: number; unreadable: readonly SectorRange[] },
  progress: CopyProgress,
): Promise<SectorRange[] | null> {
  const unreadable = done.unreadable.map(range => ({ ...range }))
  const file = await open(target, done.sectors > 0 ? 'r+' : 'w')
  try {
    await file.truncate(done.sectors * sectorBytes)
    let sector = done.sectors
    let told = performance.now()
    const tell = async () => {
      await file.sync()
      return progress(sector, unreadable)
    }
    while (sector < drive.sectors) {
      const count = Math.min(sectorsAtOnce, drive.sectors - sector)
      const data = await readBlock(drive, sector, count, unreadable)
      await file.write(data, 0, data.length, sector * sectorBytes)
      sector += count
      if (performance.now() - told < tellEveryMilliseconds && sector < drive.sectors) continue
      if (!(await tell())) return null
      told = performance.now()
    }
    return unreadable
  } finally {
    await file.close()
  }
}

async function readBlock(drive: Drive, first: number, count: number, unreadable: SectorRange[]): Promise<Uint8Array> {
  try {
    return await drive.read(first, count)
  } catch (error) {
    if (!(error instanceof ReadError)) throw error
  }
  const data = new Uint8Array(count * sectorBytes)
  for (let sector = first; sector < first + count; sector++) {
    try {
      data.set(await drive.read(sector, 1), (sector - first) * sectorBytes)
    } catch (error) {
      if (!(error instanceof ReadError)) throw error
      addSector(unreadable, sector)
    }
  }
  return data
}
