import { open, readdir, readFile, stat } from 'node:fs/promises'
import path from 'node:path'
import { sectorBytes } from '@hematine/core'

interface Placed {
  name: string
  sector: number
  bytes: number
  isDirectory: boolean
}

/**
 * Writes an ISO 9660 image (ECMA-119, plain names) with one directory, VIDEO_TS, that holds the files of a folder.
 * @param label name of the disc, in capitals
 */
export async function isoImage(file: string, folder: string, label: string): Promise<void> {
  // Sectors 16 and 17 are descriptors, 18 and 19 path tables, 20 the root directory, 21 and following VIDEO_TS.
  const names = (await readdir(folder)).sort()
  const directorySectors = Math.max(1, Math.ceil(((names.length + 2) * 48) / sectorBytes))
  const root: Placed = { name: '', sector: 20, bytes: sectorBytes, isDirectory: true }
  const inner: Placed = { name: 'VIDEO_TS', sector: 21, bytes: directorySectors * sectorBytes, isDirectory: true }
  let sector = 21 + directorySectors
  const files: Placed[] = []
  for (const name of names) {
    const { size } = await stat(path.join(folder, name))
    files.push({ name, sector, bytes: size, isDirectory: false })
    sector += Math.ceil(size / sectorBytes)
  }
  const handle = await open(file, 'wx')
  const put = (at: number, data: Buffer) => handle.write(data, 0, data.length, at * sectorBytes)
  try {
    await put(16, primaryDescriptor(label, sector, root))
    const end = Buffer.alloc(sectorBytes)
    end[0] = 255
    end.write('CD001', 1, 'latin1')
    end[6] = 1
    await put(17, end)
    await put(18, pathTable([root, inner], true))
    await put(19, pathTable([root, inner], false))
    await put(20, directory(root, root, [inner]))
    await put(21, directory(inner, root, files))
    for (const placed of files) await put(placed.sector, await readFile(path.join(folder, placed.name)))
    await handle.truncate(sector * sectorBytes)
  } finally {
    await handle.close()
  }
}

function primaryDescriptor(label: string, sectors: number, root: Placed): Buffer {
  const descriptor = Buffer.alloc(sectorBytes)
  descriptor[0] = 1
  descriptor.write('CD001', 1, 'latin1')
  descriptor[6] = 1
  descriptor.fill(0x20, 8, 72)
  descriptor.write(label.slice(0, 32), 40, 'latin1')
  both32(descriptor, 80, sectors)
  both16(descriptor, 120, 1)
  both16(descriptor, 124, 1)
  both16(descriptor, 128, sectorBytes)
  both32(descriptor, 132, 22 + 8 + 2)
  descriptor.writeUInt32LE(18, 140)
  descriptor.writeUInt32BE(19, 148)
  record(root, '\0').copy(descriptor, 156)
  descriptor.fill(0x20, 190, 813)
  descriptor.fill(0x30, 813, 881)
  descriptor[881] = 1
  return descriptor
}

function pathTable(directories: readonly Placed[], littleEndian: boolean): Buffer {
  const table = Buffer.alloc(sectorBytes)
  let at = 0
  for (const { name, sector } of directories) {
    const bytes = name === '' ? '\0' : name
    table[at] = bytes.length
    if (littleEndian) table.writeUInt32LE(sector, at + 2)
    else table.writeUInt32BE(sector, at + 2)
    if (littleEndian) table.writeUInt16LE(1, at + 6)
    else table.writeUInt16BE(1, at + 6)
    table.write(bytes, at + 8, 'latin1')
    at += 8 + bytes.length + (bytes.length % 2)
  }
  return table
}

function directory(own: Placed, parent: Placed, entries: readonly Placed[]): Buffer {
  const data = Buffer.alloc(own.bytes)
  let at = 0
  for (const entry of [
    record(own, '\0'),
    record(parent, '\x01'),
    ...entries.map(placed => record(placed, placed.isDirectory ? placed.name : `${placed.name};1`)),
  ]) {
    // Records do not cross sectors.
    if (Math.floor(at / sectorBytes) !== Math.floor((at + entry.length - 1) / sectorBytes))
      at = Math.ceil(at / sectorBytes) * sectorBytes
    entry.copy(data, at)
    at += entry.length
  }
  return data
}

function record(placed: Placed, name: string): Buffer {
  const data = Buffer.alloc(33 + name.length + (name.length % 2 === 0 ? 1 : 0))
  data[0] = data.length
  both32(data, 2, placed.sector)
  both32(data, 10, placed.bytes)
  data[25] = placed.isDirectory ? 2 : 0
  both16(data, 28, 1)
  data[32] = name.length
  data.write(name, 33, 'latin1')
  return data
}

/** Numbers stand in both byte orders. */
function both32(data: Buffer, at: number, value: number): void {
  data.writeUInt32LE(value, at)
  data.writeUInt32BE(value, at + 4)
}

function both16(data: Buffer, at: number, value: number): void {
  data.writeUInt16LE(value, at)
  data.writeUInt16BE(value, at + 2)
}
