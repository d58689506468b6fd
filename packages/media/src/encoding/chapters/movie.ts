import type { FileHandle } from 'node:fs/promises'
import { MediaError } from '../../ground/libav.ts'

// MP4 (ISO/IEC 14496-12) and MOV: a track of text, which another track names as that of its chapters ("tref" with "chap"), as QuickTime's file format has it.

/** Title given to the track that is to name the chapters: what the library writes for it is as long as the reference that takes its place. */
const placeholder = 'chap'
/** The same behind a title of its own: that many bytes are cut off again. */
const referenceBytes = 20
const behindTitle = 'chapters come here..'

/** The title under which a track holds room for a reference. */
export function titleWithRoom(title: string | null): string {
  return title === null ? placeholder : `${title}${behindTitle}`
}

interface Box {
  type: string
  at: number
  dataAt: number
  end: number
}

const odd = () =>
  new MediaError('Chapters could not be written into the result: its head is laid out in a way that is not known here.')

function boxesIn(bytes: Buffer, from: number, to: number): Box[] {
  const boxes: Box[] = []
  for (let at = from; at + 8 <= to;) {
    const size = bytes.readUInt32BE(at)
    if (size < 8 || at + size > to) throw odd()
    boxes.push({ type: bytes.toString('latin1', at + 4, at + 8), at, dataAt: at + 8, end: at + size })
    at += size
  }
  return boxes
}

async function movieBox(file: FileHandle): Promise<{ at: number; bytes: Buffer }> {
  const { size: fileBytes } = await file.stat()
  for (let at = 0; at + 8 <= fileBytes;) {
    const head = Buffer.alloc(16)
    await file.read(head, 0, head.length, at)
    const short = head.readUInt32BE(0)
    const size = short === 1 ? Number(head.readBigUInt64BE(8)) : short
    if (size < 8) break
    if (head.toString('latin1', 4, 8) === 'moov') {
      const bytes = Buffer.alloc(size)
      await file.read(bytes, 0, size, at)
      return { at, bytes }
    }
    at += size
  }
  throw odd()
}

/** What is to be said of the tracks of a finished file, by their places in it. */
export interface MovieTracks {
  /** Tracks that a player must not show by itself. */
  hidden: readonly number[]
  /** The track of chapters, and the one that names it; null for none. */
  chapters: { track: number; of: number } | null
}

/**
 * Says in a finished MP4 or MOV what the library cannot be told: which tracks are not shown by themselves, and which one holds the chapters. Every byte stays in its place.
 * @throws MediaError when the file is laid out otherwise than the library does
 */
export async function describeTracks(file: FileHandle, { hidden, chapters }: MovieTracks): Promise<void> {
  if (hidden.length === 0 && !chapters) return
  const { at, bytes } = await movieBox(file)
  const tracks = boxesIn(bytes, 8, bytes.length).filter(box => box.type === 'trak')
  const headOf = (track: number) => {
    const box = tracks[track]
    const head = box && boxesIn(bytes, box.dataAt, box.end).find(({ type }) => type === 'tkhd')
    if (!head) throw odd()
    return head
  }
  // The lowest of the head's flags: the track is shown.
  for (const track of [...hidden, ...(chapters ? [chapters.track] : [])]) {
    const flags = headOf(track).dataAt + 3
    bytes[flags] = bytes[flags]! & ~1
  }
  if (chapters) {
    const head = headOf(chapters.track)
    // Behind version, flags and two times, which take twice the room in version 1.
    const id = bytes.readUInt32BE(head.dataAt + (bytes[head.dataAt] === 1 ? 20 : 12))
    putReference(bytes, tracks[chapters.of]!, id)
    leaveOutEmptySamples(bytes, tracks[chapters.track]!)
  }
  await file.write(bytes, 0, bytes.length, at)
}

/** Puts a reference to a track where room was held for it. */
function putReference(bytes: Buffer, track: Box, id: number): void {
  const room = boxesIn(bytes, track.dataAt, track.end).find(({ type }) => type === 'udta')
  const name = room && boxesIn(bytes, room.dataAt, room.end).find(({ type }) => type === 'name')
  if (!room || !name || name.end !== room.end) throw odd()
  const title = bytes.toString('utf8', name.dataAt, name.end)
  const isAlone = title === placeholder && name.at === room.dataAt
  if (!isAlone && !title.endsWith(behindTitle)) throw odd()
  const reference = isAlone ? room.at : room.end - referenceBytes
  if (!isAlone) {
    bytes.writeUInt32BE(reference - name.at, name.at)
    bytes.writeUInt32BE(reference - room.at, room.at)
  }
  bytes.writeUInt32BE(referenceBytes, reference)
  bytes.write('tref', reference + 4, 'latin1')
  bytes.writeUInt32BE(referenceBytes - 8, reference + 8)
  bytes.write('chap', reference + 12, 'latin1')
  bytes.writeUInt32BE(id, reference + 16)
}

/** Length of a text of nothing: only the two bytes that tell it. */
const emptyBytes = 2

/**
 * The library puts a text of nothing before and behind those of a track; to readers of chapters each is a chapter. The track's tables are written anew without
 * them, in less room than they had, and the rest is filled. What stays lies in the file in one piece, as it was written.
 */
function leaveOutEmptySamples(bytes: Buffer, track: Box): void {
  const inside = (box: Box, type: string) => {
    const found = boxesIn(bytes, box.dataAt, box.end).find(entry => entry.type === type)
    if (!found) throw odd()
    return found
  }
  const table = inside(inside(inside(track, 'mdia'), 'minf'), 'stbl')
  const boxes = boxesIn(bytes, table.dataAt, table.end)
  const named = (...types: string[]) => boxes.find(({ type }) => types.includes(type))
  const [times, chunks, sizes, places] = [named('stts'), named('stsc'), named('stsz'), named('stco', 'co64')]
  if (!times || !chunks || !sizes || !places) throw odd()
  const word = (box: Box, index: number) => bytes.readUInt32BE(box.dataAt + 4 + 4 * index)

  const isWide = places.type === 'co64'
  const placeOf = (chunk: number) =>
    isWide ? Number(bytes.readBigUInt64BE(places.dataAt + 8 + 8 * chunk)) : word(places, 1 + chunk)
  const perChunk = (chunk: number) => {
    let count = 0
    for (let entry = 0; entry < word(chunks, 0) && word(chunks, 1 + 3 * entry) <= chunk + 1; entry++)
      count = word(chunks, 2 + 3 * entry)
    return count
  }
  const lasts = Array.from({ length: word(times, 0) }, (_, run) =>
    Array.from({ length: word(times, 1 + 2 * run) }, () => word(times, 2 + 2 * run)),
  ).flat()
  const samples: { at: number; size: number; lasts: number }[] = []
  for (let chunk = 0; chunk < word(places, 0); chunk++) {
    let at = placeOf(chunk)
    for (let left = perChunk(chunk); left > 0; left--) {
      const size = word(sizes, 0) || word(sizes, 2 + samples.length)
      samples.push({ at, size, lasts: lasts[samples.length] ?? 0 })
      at += size
    }
  }
  const kept = samples.filter(({ size }) => size > emptyBytes)
  if (kept.length === samples.length) return
  if (kept.some(({ at, size }, index) => kept[index + 1] && kept[index + 1]!.at !== at + size)) throw odd()

  const runs: [count: number, lasts: number][] = []
  for (const sample of kept) {
    const run = runs.at(-1)
    if (run?.[1] === sample.lasts) run[0]++
    else runs.push([1, sample.lasts])
  }
  const [first] = kept
  const place = !first ? [] : isWide ? [Math.floor(first.at / 2 ** 32), first.at % 2 ** 32] : [first.at]
  const rewritten = Buffer.concat([
    ...boxes
      .filter(box => ![times, chunks, sizes, places].includes(box))
      .map(box => Buffer.from(bytes.subarray(box.at, box.end))),
    fullBox('stts', [runs.length, ...runs.flat()]),
    fullBox('stsc', first ? [1, 1, kept.length, 1] : [0]),
    fullBox('stsz', [0, kept.length, ...kept.map(({ size }) => size)]),
    fullBox(places.type, [first ? 1 : 0, ...place]),
  ])
  const left = table.end - table.dataAt - rewritten.length
  if (left !== 0 && left < 8) throw odd()
  rewritten.copy(bytes, table.dataAt)
  if (left === 0) return
  bytes.fill(0, table.end - left, table.end)
  bytes.writeUInt32BE(left, table.end - left)
  bytes.write('free', table.end - left + 4, 'latin1')
}

/** A box of version 0 without flags, and numbers of 32 bits. */
function fullBox(type: string, words: readonly number[]): Buffer {
  const box = Buffer.alloc(12 + 4 * words.length)
  box.writeUInt32BE(box.length, 0)
  box.write(type, 4, 'latin1')
  for (const [index, value] of words.entries()) box.writeUInt32BE(value, 12 + 4 * index)
  return box
}
