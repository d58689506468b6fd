/** Bytes of a pack on a disc. */
const packBytes = 2048
/** Stream of what is no MPEG, and what in it is the first track of subtitles. */
const privateStream = 0xbd
const firstSubtitles = 0x20
const paddingStream = 0xbe

/**
 * One picture of text as packs of a program stream (ISO/IEC 13818-1, 2.5.3): each has a head, a packet with a piece of the data, and is filled up.
 * @param ticks when it is shown, in 90000ths of a second
 */
export function packsOf(data: Uint8Array, ticks: bigint): Buffer {
  const packs: Buffer[] = []
  for (let at = 0; at === 0 || at < data.length;) {
    const times = at === 0 ? presentationTime(ticks) : Buffer.alloc(0)
    const head = packHead(ticks)
    const room = packBytes - head.length - 9 - times.length - 1
    const piece = data.subarray(at, at + room)
    at += Math.max(1, piece.length)
    // A packet of padding takes six bytes at least; fewer are stuffed into the packet's head.
    const left = room - piece.length
    const stuffing = Buffer.alloc(left < 6 ? left : 0, 0xff)
    const padding = left < 6 ? Buffer.alloc(0) : packet(paddingStream, [Buffer.alloc(left - 6, 0xff)])
    const flags = Buffer.from([0x81, times.length > 0 ? 0x80 : 0, times.length + stuffing.length])
    packs.push(head, packet(privateStream, [flags, times, stuffing, Buffer.from([firstSubtitles]), piece]), padding)
  }
  return Buffer.concat(packs)
}

function packet(stream: number, parts: readonly Uint8Array[]): Buffer {
  const body = Buffer.concat(parts)
  const head = Buffer.from([0, 0, 1, stream, 0, 0])
  head.writeUInt16BE(body.length, 4)
  return Buffer.concat([head, body])
}

/** Some bits of a time. @param from counted from its last */
const bits = (ticks: bigint, from: number, count: number): number =>
  Number(BigInt.asUintN(count, ticks >> BigInt(from)))

/** Thirty-three bits of time in five bytes, with marks between them. */
function presentationTime(ticks: bigint): Buffer {
  return Buffer.from([
    0x21 | (bits(ticks, 30, 3) << 1),
    bits(ticks, 22, 8),
    (bits(ticks, 15, 7) << 1) | 1,
    bits(ticks, 7, 8),
    (bits(ticks, 0, 7) << 1) | 1,
  ])
}

/** Units of 50 bytes a second at which a disc is read, 10.08 Mbit/s. */
const discRate = 25_200

function packHead(ticks: bigint): Buffer {
  return Buffer.from([
    ...[0, 0, 1, 0xba],
    0x44 | (bits(ticks, 30, 3) << 3) | bits(ticks, 28, 2),
    bits(ticks, 20, 8),
    0x04 | (bits(ticks, 15, 5) << 3) | bits(ticks, 13, 2),
    bits(ticks, 5, 8),
    0x04 | (bits(ticks, 0, 5) << 3),
    0x01,
    ...[discRate >> 14, (discRate >> 6) & 0xff, ((discRate & 0x3f) << 2) | 3],
    0xf8,
  ])
}
