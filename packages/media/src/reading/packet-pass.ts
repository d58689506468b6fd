import type { PacketColumn } from '@hematine/core'
import { AV_NOPTS_VALUE, AV_PKT_FLAG_DISCARD, AVFMT_NOTIMESTAMPS, AVMEDIA_TYPE_AUDIO } from 'node-av/constants'
import { avGetCodecName, Packet, type FormatContext, type Stream } from 'node-av/lib'
import { isAgain } from '../ground/libav.ts'

/** Packets between two looks at whether the work is to go on. */
const batch = 500

/** Every packet of a source, without decoding any. */
export interface PacketPass {
  columns: PacketColumn[]
  /** Whether the end was reached. */
  isComplete: boolean
}

/**
 * Reads the packets of a container's picture and sound, or until so many bytes were read, and keeps their times.
 * @param pictureStream the stream that is the picture; others of its kind are passed over
 * @param each asked now and then whether to go on, told the part that is read; it may throw
 */
export async function readPackets(
  container: FormatContext,
  pictureStream: number | null,
  mostBytes: number,
  bytes: number,
  each: (part: number) => Promise<void> = async () => undefined,
): Promise<PacketPass> {
  const columns = new Map<number, PacketColumn>()
  const hides = new Map<number, (packet: Packet) => boolean>()
  const streams = container.streams
  for (const stream of streams) {
    const { codecType } = stream.codecpar
    if (stream.index !== pictureStream && codecType !== AVMEDIA_TYPE_AUDIO) continue
    columns.set(stream.index, {
      stream: stream.index,
      kind: stream.index === pictureStream ? 'picture' : 'sound',
      timeBase: { num: stream.timeBase.num, den: stream.timeBase.den },
      pts: [],
      dts: [],
      duration: [],
      shows: [],
      keys: [],
    })
    hides.set(stream.index, hiddenBy(stream))
  }
  const packet = new Packet()
  packet.alloc()
  let [read, count] = [0, 0]
  try {
    for (;;) {
      // One call after another: the asynchronous call takes longer than the reading itself.
      const code = container.readFrameSync(packet)
      if (isAgain(code)) continue
      if (code < 0) return { columns: [...columns.values()], isComplete: true }
      const column = columns.get(packet.streamIndex)
      if (column) keep(column, packet, hides.get(packet.streamIndex)!)
      read += packet.size
      packet.unref()
      if (read > mostBytes) return { columns: [...columns.values()], isComplete: false }
      if (++count % batch === 0) {
        await new Promise(resolve => setImmediate(resolve))
        await each(Math.min(1, read / Math.max(1, bytes)))
      }
    }
  } finally {
    packet.free()
  }
}

function keep(column: PacketColumn, packet: Packet, isHidden: (packet: Packet) => boolean): void {
  const ticks = (value: bigint) => (value === AV_NOPTS_VALUE ? null : Number(value))
  if (packet.isKeyframe) column.keys.push({ packet: column.pts.length, byte: Number(packet.pos) })
  column.pts.push(ticks(packet.pts))
  column.dts.push(ticks(packet.dts))
  column.duration.push(Number(packet.duration))
  column.shows.push(
    packet.size === 0 ? 'repeat' : packet.hasFlags(AV_PKT_FLAG_DISCARD) || isHidden(packet) ? 'hidden' : 'picture',
  )
}

/** Which packets of a codec are decoded but not shown. VP8 says so in the fifth bit of each frame's first byte (RFC 6386, 9.1). */
function hiddenBy(stream: Stream): (packet: Packet) => boolean {
  if (avGetCodecName(stream.codecpar.codecId) !== 'vp8') return () => false
  return packet => packet.data !== null && (packet.data[0]! & 0x10) === 0
}

/** Whether a container's streams come without times of their own, which the reader then makes up. */
export function isWithoutTimes(container: FormatContext): boolean {
  return ((container.iformat?.flags ?? 0) & AVFMT_NOTIMESTAMPS) !== 0
}
