import type { ReadBytes } from '../read-bytes.ts'
import { Bytes, DiscProblem, mostDirectoryBytes, sectorBytes, type ImageFile } from './bytes.ts'

interface Entry {
  name: string
  at: number
  bytes: number
  isDirectory: boolean
  /** The file goes on in the next entry (files over 4 GB). */
  goesOn: boolean
}

/**
 * Files of a directory at the top of an ISO 9660 image (ECMA-119).
 * @returns null when the image has no such file system, or no such directory
 * @throws DiscProblem when its structures are damaged
 */
export async function isoFiles(read: ReadBytes, directory: string): Promise<ImageFile[] | null> {
  const root = await rootDirectory(read)
  if (!root) return null
  const entry = (await entriesOf(read, root)).find(found => found.isDirectory && found.name === directory)
  if (!entry) return null
  const files: ImageFile[] = []
  let isOpen = false
  for (const { name, at, bytes, isDirectory, goesOn } of await entriesOf(read, entry)) {
    if (isDirectory) continue
    if (!isOpen) files.push({ name, bytes: 0, extents: [] })
    const file = files.at(-1)!
    file.bytes += bytes
    file.extents.push({ at, bytes })
    isOpen = goesOn
  }
  return files
}

/** Name that the image gives the disc, or null. */
export async function isoVolumeName(read: ReadBytes): Promise<string | null> {
  const descriptor = await primaryDescriptor(read)
  return descriptor?.text(40, 32).trim() || null
}

async function primaryDescriptor(read: ReadBytes): Promise<Bytes | null> {
  // ECMA-119 8: descriptors begin in sector 16 and end with one of type 255.
  for (let sector = 16; sector < 32; sector++) {
    const descriptor = new Bytes(await read(sector * sectorBytes, sectorBytes), 'The ISO 9660 volume descriptor')
    if (descriptor.length < sectorBytes || descriptor.text(1, 5) !== 'CD001' || descriptor.u8(0) === 255) return null
    if (descriptor.u8(0) === 1) return descriptor
  }
  return null
}

async function rootDirectory(read: ReadBytes): Promise<Pick<Entry, 'at' | 'bytes'> | null> {
  const descriptor = await primaryDescriptor(read)
  if (!descriptor) return null
  // ECMA-119 8.4.18: the record of the root directory.
  return { at: descriptor.u32(156 + 2, true) * sectorBytes, bytes: descriptor.u32(156 + 10, true) }
}

async function entriesOf(read: ReadBytes, { at, bytes }: Pick<Entry, 'at' | 'bytes'>): Promise<Entry[]> {
  if (bytes > mostDirectoryBytes)
    throw new DiscProblem(
      'The directory of the disc image is damaged: it claims more than a megabyte. Read the disc again.',
    )
  const table = new Bytes(await read(at, bytes), 'The directory of the disc image')
  const entries: Entry[] = []
  for (let place = 0; place < bytes;) {
    const length = table.u8(place)
    if (length === 0) {
      // Records do not cross sectors.
      place = (Math.floor(place / sectorBytes) + 1) * sectorBytes
      continue
    }
    const flags = table.u8(place + 25)
    const name = table.text(place + 33, table.u8(place + 32)).replace(/\.?;\d+$/, '')
    // The directory itself and its parent are called by the bytes 0 and 1.
    if (name.length > 1 || name > '\x01')
      entries.push({
        name: name.toUpperCase(),
        at: table.u32(place + 2, true) * sectorBytes,
        bytes: table.u32(place + 10, true),
        isDirectory: (flags & 2) !== 0,
        goesOn: (flags & 0x80) !== 0,
      })
    place += length
  }
  return entries
}
