import { sectorBytes } from './bytes.ts'

// A sector of a VOB file is one pack of a program stream (ISO/IEC 13818-1, 2.5); the first of each video object unit tells its times.

/** Ticks a second of the times in a program stream. */
export const packTicks = 90_000

const startCode = (sector: Uint8Array, at: number) =>
  sector[at] === 0 && sector[at + 1] === 0 && sector[at + 2] === 1 ? sector[at + 3]! : null

/** When a video object unit begins and ends, in ticks, from its navigation pack; null for any other sector, or one without times. */
export function unitTimes(sector: Uint8Array): { start: number; end: number } | null {
  if (sector.length < sectorBytes || startCode(sector, 0x26) !== 0xbf || sector[0x2c] !== 0) return null
  const view = new DataView(sector.buffer, sector.byteOffset)
  const [start, end] = [view.getUint32(0x39), view.getUint32(0x3d)]
  return end > start ? { start, end } : null
}

/** Whether a sector's pictures or sound are scrambled: the two scrambling bits of a PES packet's head. */
export function isScrambled(sector: Uint8Array): boolean {
  const code = startCode(sector, 0) === 0xba ? startCode(sector, 14) : null
  return code !== null && hasTimes(code) && (sector[20]! & 0x30) !== 0
}

/** Whether packets of a stream carry the PES head with times. */
const hasTimes = (code: number) => code === 0xbd || (code >= 0xc0 && code <= 0xef)

/** Moves the presentation and decoding times in a sector by so many ticks, in place. */
export function shiftTimes(sector: Uint8Array, ticks: number): void {
  if (ticks === 0 || startCode(sector, 0) !== 0xba) return
  for (let at = 14 + (sector[13]! & 7); at + 9 < sector.length;) {
    const code = startCode(sector, at)
    if (code === null) return
    const flags = hasTimes(code) ? sector[at + 7]! >> 6 : 0
    if (flags & 2) shiftTime(sector, at + 9, ticks)
    if (flags === 3) shiftTime(sector, at + 14, ticks)
    at += 6 + (sector[at + 4]! << 8) + sector[at + 5]!
  }
}

/** 33 bits in five bytes, with marker bits between (2.4.3.7). */
function shiftTime(sector: Uint8Array, at: number, ticks: number): void {
  if (at + 5 > sector.length) return
  const [a, b, c, d, e] = sector.subarray(at, at + 5) as unknown as [number, number, number, number, number]
  const before = ((a >> 1) & 7) * 2 ** 30 + (b << 22) + ((c >> 1) << 15) + (d << 7) + (e >> 1)
  const after = (((before + ticks) % 2 ** 33) + 2 ** 33) % 2 ** 33
  const high = Math.floor(after / 2 ** 30)
  const low = after % 2 ** 30
  sector[at] = (a & 0xf0) | (high << 1) | 1
  sector[at + 1] = (low >> 22) & 0xff
  sector[at + 2] = ((low >> 14) & 0xfe) | 1
  sector[at + 3] = (low >> 7) & 0xff
  sector[at + 4] = ((low << 1) & 0xfe) | 1
}
