import type { ReadBytes } from '../read-bytes.ts'
import { Bytes, DiscProblem, mostDirectoryBytes, sectorBytes, type ImageFile } from './bytes.ts'

/** Identifiers of the descriptors that are read (ECMA-167 parts 3 and 4, 7.2.1). */
const tags = {
  anchor: 2,
  partition: 5,
  logicalVolume: 6,
  terminating: 8,
  fileSet: 256,
  fileIdentifier: 257,
  fileEntry: 261,
  extendedFileEntry: 266,
} as const

interface FileSystem {
  read: ReadBytes
  /** Byte at which each partition reference begins. */
  partitions: number[]
}

interface Address {
  block: number
  partition: number
}

interface Node {
  isDirectory: boolean
  bytes: number
  extents: { at: number; bytes: number }[]
}

/**
 * Files of a directory at the top of a UDF image (ECMA-167, as OSTA UDF 1.02 narrows it for DVD; plain partitions only).
 * @returns null when the image has no such file system, or no such directory
 * @throws DiscProblem when its structures are damaged
 */
export async function udfFiles(read: ReadBytes, directory: string): Promise<ImageFile[] | null> {
  const opened = await openFileSystem(read)
  if (!opened) return null
  const { system, root } = opened
  for (const entry of await entriesOf(system, await nodeAt(system, root))) {
    if (!entry.isDirectory || entry.name.toUpperCase() !== directory) continue
    const files: ImageFile[] = []
    for (const file of await entriesOf(system, await nodeAt(system, entry.address))) {
      if (file.isDirectory) continue
      const { bytes, extents } = await nodeAt(system, file.address)
      files.push({ name: file.name.toUpperCase(), bytes, extents })
    }
    return files
  }
  return null
}

async function openFileSystem(read: ReadBytes): Promise<{ system: FileSystem; root: Address } | null> {
  const anchor = new Bytes(await read(256 * sectorBytes, sectorBytes), 'The UDF anchor')
  if (anchor.length < sectorBytes || anchor.u16(0, true) !== tags.anchor) return null
  const [length, first] = [anchor.u32(16, true), anchor.u32(20, true)]
  const starts = new Map<number, number>()
  let volume: Bytes | null = null
  for (let sector = 0; sector < Math.min(64, length / sectorBytes); sector++) {
    const descriptor = new Bytes(await read((first + sector) * sectorBytes, sectorBytes), 'The UDF volume descriptor')
    const tag = descriptor.u16(0, true)
    if (tag === tags.terminating) break
    if (tag === tags.partition) starts.set(descriptor.u16(22, true), descriptor.u32(188, true))
    if (tag === tags.logicalVolume) volume = descriptor
  }
  if (!volume)
    throw new DiscProblem('The disc image is damaged: its UDF file system names no volume. Read the disc again.')
  if (volume.u32(212, true) !== sectorBytes)
    throw new DiscProblem('The disc image uses UDF blocks of another size than 2048 bytes and cannot be read.')
  const partitions: number[] = []
  for (let index = 0, at = 440; index < volume.u32(268, true); index++) {
    // Type 1: a plain partition; others (virtual, sparing, metadata) are not written for DVD-Video.
    const start = volume.u8(at) === 1 ? starts.get(volume.u16(at + 4, true)) : undefined
    if (start === undefined)
      throw new DiscProblem(
        'The disc image uses a kind of UDF partition that Hematine does not read. Copy its VIDEO_TS folder out and bring that in.',
      )
    partitions.push(start * sectorBytes)
    at += Math.max(1, volume.u8(at + 1))
  }
  const system = { read, partitions }
  const fileSet = await descriptorAt(
    system,
    { block: volume.u32(248 + 4, true), partition: volume.u16(248 + 8, true) },
    [tags.fileSet],
  )
  return { system, root: { block: fileSet.u32(400 + 4, true), partition: fileSet.u16(400 + 8, true) } }
}

function placeOf({ partitions }: FileSystem, { block, partition }: Address): number {
  const start = partitions[partition]
  if (start === undefined)
    throw new DiscProblem(
      `The disc image is damaged: its UDF file system points to a partition ${partition} that it does not have. Read the disc again.`,
    )
  return start + block * sectorBytes
}

async function descriptorAt(system: FileSystem, address: Address, wanted: readonly number[]): Promise<Bytes> {
  const descriptor = new Bytes(await system.read(placeOf(system, address), sectorBytes), 'The UDF file system')
  const tag = descriptor.u16(0, true)
  if (!wanted.includes(tag))
    throw new DiscProblem(
      `The disc image is damaged: its UDF file system holds something else where an entry should be (sector ${placeOf(system, address) / sectorBytes}). Read the disc again.`,
    )
  return descriptor
}

async function nodeAt(system: FileSystem, address: Address): Promise<Node> {
  const entry = await descriptorAt(system, address, [tags.fileEntry, tags.extendedFileEntry])
  const lengths = entry.u16(0, true) === tags.fileEntry ? 168 : 208
  const [attributes, descriptors] = [entry.u32(lengths, true), entry.u32(lengths + 4, true)]
  const first = lengths + 8 + attributes
  const form = entry.u16(34, true) & 7
  const node: Node = { isDirectory: entry.u8(27) === 4, bytes: entry.u64(56), extents: [] }
  if (form === 3) {
    // The bytes lie in the entry itself.
    node.extents.push({ at: placeOf(system, address) + first, bytes: node.bytes })
    return node
  }
  if (form > 1)
    throw new DiscProblem(
      'The disc image uses a form of UDF addresses that Hematine does not read. Copy its VIDEO_TS folder out and bring that in.',
    )
  const size = form === 0 ? 8 : 16
  for (let at = first; at + size <= first + descriptors; at += size) {
    // The upper two bits say whether the extent was recorded.
    const bytes = entry.u32(at, true) & 0x3fffffff
    if (bytes > 0)
      node.extents.push({
        at: placeOf(system, {
          block: entry.u32(at + 4, true),
          partition: form === 0 ? address.partition : entry.u16(at + 8, true),
        }),
        bytes,
      })
  }
  return node
}

async function entriesOf(
  system: FileSystem,
  directory: Node,
): Promise<{ name: string; isDirectory: boolean; address: Address }[]> {
  if (directory.bytes > mostDirectoryBytes)
    throw new DiscProblem(
      'The directory of the disc image is damaged: it claims more than a megabyte. Read the disc again.',
    )
  const parts: Uint8Array[] = []
  for (const { at, bytes } of directory.extents) parts.push(await system.read(at, bytes))
  const data = new Uint8Array(parts.reduce((sum, part) => sum + part.length, 0))
  parts.reduce((at, part) => (data.set(part, at), at + part.length), 0)
  const table = new Bytes(data, 'The UDF directory')
  const entries: { name: string; isDirectory: boolean; address: Address }[] = []
  for (let at = 0; at + 38 <= Math.min(directory.bytes, table.length);) {
    if (table.u16(at, true) !== tags.fileIdentifier)
      throw new DiscProblem('The UDF directory of the disc image is damaged. Read the disc again.')
    const [flags, nameLength, usage] = [table.u8(at + 18), table.u8(at + 19), table.u16(at + 36, true)]
    // Deleted entries, and the one of the parent, are passed over.
    if ((flags & 12) === 0)
      entries.push({
        name: identifier(table, at + 38 + usage, nameLength),
        isDirectory: (flags & 2) !== 0,
        address: { block: table.u32(at + 24, true), partition: table.u16(at + 28, true) },
      })
    at += Math.ceil((38 + usage + nameLength) / 4) * 4
  }
  return entries
}

/** OSTA compressed Unicode (UDF 2.1.1): the first byte says whether characters have 8 or 16 bits. */
function identifier(table: Bytes, at: number, length: number): string {
  if (length === 0) return ''
  if (table.u8(at) === 8) return table.text(at + 1, length - 1)
  return Array.from({ length: (length - 1) >> 1 }, (_, index) =>
    String.fromCharCode(table.u16(at + 1 + index * 2)),
  ).join('')
}
