import type { FileHandle } from 'node:fs/promises'
import { crc32 } from 'node:zlib'
import type { Chapter } from '@hematine/core'
import { MediaError } from '../../ground/libav.ts'

// Elements of Matroska (RFC 9559) and their identifiers.
const ids = {
  ebml: 0x1a45dfa3,
  segment: 0x18538067,
  seekHead: 0x114d9b74,
  seek: 0x4dbb,
  seekId: 0x53ab,
  seekPosition: 0x53ac,
  void: 0xec,
  crc: 0xbf,
  chapters: 0x1043a770,
  edition: 0x45b9,
  isDefault: 0x45db,
  atom: 0xb6,
  uid: 0x73c4,
  start: 0x91,
  end: 0x92,
  display: 0x80,
  string: 0x85,
  language: 0x437c,
} as const

const odd = () =>
  new MediaError('Chapters could not be written into the result: its head is laid out in a way that is not known here.')

function idBytes(id: number): Buffer {
  const text = id.toString(16)
  return Buffer.from(text.length % 2 === 0 ? text : `0${text}`, 'hex')
}

/** An element with its size in as few bytes as can be (RFC 8794, 4.4). */
function element(id: number, ...parts: readonly Buffer[]): Buffer {
  const data = Buffer.concat(parts)
  let length = 1
  // A size of all ones is kept for "unknown".
  while (data.length >= 2 ** (7 * length) - 1) length++
  const size = Buffer.alloc(length)
  size.writeUIntBE(data.length, 0, length)
  size[0]! |= 0x80 >> (length - 1)
  return Buffer.concat([idBytes(id), size, data])
}

function number(id: number, value: number | bigint): Buffer {
  const bytes = Buffer.alloc(8)
  bytes.writeBigUInt64BE(BigInt(value))
  return element(id, bytes)
}

/** The element that holds all chapters: one edition, each chapter up to the next or to the end. */
function chaptersElement(chapters: readonly Chapter[], seconds: number): Buffer {
  const nanoseconds = (value: number) => BigInt(Math.round(value * 1e9))
  const atoms = chapters.map(({ from, title }, index) =>
    element(
      ids.atom,
      number(ids.uid, index + 1),
      number(ids.start, nanoseconds(from)),
      number(ids.end, nanoseconds(chapters[index + 1]?.from ?? Math.max(from, seconds))),
      ...(title === null
        ? []
        : [element(ids.display, element(ids.string, Buffer.from(title)), element(ids.language, Buffer.from('und')))]),
    ),
  )
  return element(ids.chapters, element(ids.edition, number(ids.isDefault, 1), ...atoms))
}

interface Head {
  id: number
  /** Places in the file: of the element, of its size, and of its data. */
  at: number
  sizeAt: number
  dataAt: number
  size: number
}

async function headAt(file: FileHandle, at: number): Promise<Head> {
  const bytes = Buffer.alloc(12)
  await file.read(bytes, 0, bytes.length, at)
  const idLength = Math.clz32(bytes[0]!) - 23
  const first = bytes[idLength]!
  const sizeLength = Math.clz32(first) - 23
  if (idLength > 4 || sizeLength > 8) throw odd()
  const size = bytes.subarray(idLength, idLength + sizeLength)
  const value = size.reduce((sum, byte, index) => sum * 256 + (index === 0 ? byte & (0xff >> sizeLength) : byte), 0)
  return {
    id: bytes.readUIntBE(0, idLength),
    at,
    sizeAt: at + idLength,
    dataAt: at + idLength + sizeLength,
    size: value,
  }
}

/** Elements one after the other in a piece that is in memory. */
async function childrenOf(file: FileHandle, { dataAt, size }: Head): Promise<{ id: number; bytes: Buffer }[]> {
  const children: { id: number; bytes: Buffer }[] = []
  for (let at = dataAt; at < dataAt + size;) {
    const head = await headAt(file, at)
    const end = head.dataAt + head.size
    const bytes = Buffer.alloc(end - at)
    await file.read(bytes, 0, bytes.length, at)
    children.push({ id: head.id, bytes })
    at = end
  }
  return children
}

/**
 * Writes chapters behind a finished Matroska or WebM file, and into the list at its head by which readers find them. The room for that entry was left by
 * the library; nothing else of the file is moved.
 * @param seconds length of the result
 * @throws MediaError when the file is laid out otherwise
 */
export async function writeMatroskaChapters(
  file: FileHandle,
  chapters: readonly Chapter[],
  seconds: number,
): Promise<void> {
  const { size: bytes } = await file.stat()
  const ebml = await headAt(file, 0)
  const segment = await headAt(file, ebml.dataAt + ebml.size)
  const list = await headAt(file, segment.dataAt)
  const room = await headAt(file, list.dataAt + list.size)
  const sizeLength = segment.dataAt - segment.sizeAt
  if (
    ebml.id !== ids.ebml ||
    segment.id !== ids.segment ||
    list.id !== ids.seekHead ||
    room.id !== ids.void ||
    sizeLength !== 8 ||
    segment.dataAt + segment.size !== bytes
  )
    throw odd()

  const entries = (await childrenOf(file, list)).filter(({ id }) => id !== ids.crc).map(entry => entry.bytes)
  entries.push(
    element(ids.seek, element(ids.seekId, idBytes(ids.chapters)), number(ids.seekPosition, bytes - segment.dataAt)),
  )
  const checksum = Buffer.alloc(4)
  checksum.writeUInt32LE(crc32(Buffer.concat(entries)))
  const newList = element(ids.seekHead, element(ids.crc, checksum), ...entries)
  const left = room.dataAt + room.size - list.at - newList.length
  if (left < 9) throw odd()
  const rest = Buffer.alloc(left)
  rest[0] = ids.void
  rest[1] = 0x01
  rest.writeUIntBE(left - 9, 3, 6)

  const added = chaptersElement(chapters, seconds)
  await file.write(added, 0, added.length, bytes)
  const size = Buffer.alloc(8)
  size.writeBigUInt64BE((1n << 56n) | BigInt(segment.size + added.length))
  await file.write(size, 0, size.length, segment.sizeAt)
  const head = Buffer.concat([newList, rest])
  await file.write(head, 0, head.length, list.at)
}
