import {
  AV_CODEC_ID_MJPEG,
  AV_PKT_DATA_DISPLAYMATRIX,
  AV_PKT_DATA_FRAME_CROPPING,
  AVMEDIA_TYPE_ATTACHMENT,
} from 'node-av/constants'
import { Dictionary, FormatContext, OutputFormat, Packet, Rational, type Stream } from 'node-av/lib'

export interface RewrapOptions {
  /** Time base of each written stream; the reader's own unless said. */
  timeBase?: { num: number; den: number }
  /** Changes a packet before it is written; its times are in the written stream's time base. False leaves it out. @param number of the packet in its stream */
  change?: (packet: Packet, number: number, isPicture: boolean) => boolean | void
  /** Factors a, b, c, d of a display matrix for the picture. */
  matrix?: readonly [number, number, number, number]
  /** Pixels to be cut off the picture when it is shown. */
  cutOff?: { left: number; top: number; right: number; bottom: number }
  /** What the file says of itself. */
  tags?: Record<string, string>
  /** A JPEG that is attached to an MKV. */
  cover?: Buffer
}

/** Writes the packets of a file into another container as they are, but for what is asked for: for making sources whose faults are known. */
export async function rewrap(
  from: string,
  to: string,
  format: string,
  { timeBase, change, matrix, cutOff, tags, cover }: RewrapOptions = {},
): Promise<void> {
  const input = new FormatContext()
  if ((await input.openInput(from, null, null)) < 0) throw new Error(`${from} cannot be opened.`)
  await input.findStreamInfo(null)
  const output = new FormatContext()
  output.allocOutputContext2(OutputFormat.guessFormat(format as never, null, null)!, null, to)
  output.url = to
  const streams = input.streams.map(stream => copyStream(output, stream, { timeBase, matrix, cutOff }))
  if (tags) output.metadata = Dictionary.fromObject(tags)
  if (cover) attach(output).codecpar.extradata = cover
  if ((await output.openOutput()) < 0 || (await output.writeHeader(null)) < 0) throw new Error(`${to} cannot be begun.`)
  const packet = new Packet()
  packet.alloc()
  const counts = streams.map(() => 0)
  while ((await input.readFrame(packet)) >= 0) {
    const index = packet.streamIndex
    const [source, target] = [input.streams[index]!, streams[index]!]
    packet.rescaleTs(source.timeBase, timeBase ?? source.timeBase)
    const keeps = change?.(packet, counts[index]!++, source.codecpar.width > 0) !== false
    if (keeps) {
      packet.rescaleTs(timeBase ?? source.timeBase, target.timeBase)
      packet.pos = -1n
      const code = await output.writeFrame(packet)
      if (code < 0) throw new Error(`A packet cannot be written: ${code}.`)
    }
    packet.unref()
  }
  packet.free()
  await output.writeTrailer()
  await output.closeOutput()
  output.freeContext()
  await input.closeInput()
}

/** A stream that is a file of its own in an MKV. */
function attach(output: FormatContext): Stream {
  const stream = output.newStream(null)
  stream.codecpar.codecType = AVMEDIA_TYPE_ATTACHMENT
  stream.codecpar.codecId = AV_CODEC_ID_MJPEG
  stream.metadata = Dictionary.fromObject({ filename: 'cover.jpg', mimetype: 'image/jpeg' })
  return stream
}

/** A stream of another file as one that is written. */
export function copyStream(
  output: FormatContext,
  source: Stream,
  { timeBase, matrix, cutOff }: Pick<RewrapOptions, 'timeBase' | 'matrix' | 'cutOff'> = {},
): Stream {
  const stream = output.newStream(null)
  source.codecpar.copy(stream.codecpar)
  stream.codecpar.codecTag = 0
  stream.timeBase = timeBase ? new Rational(timeBase.num, timeBase.den) : source.timeBase
  const isPicture = source.codecpar.width > 0
  if (isPicture && matrix) {
    const data = Buffer.alloc(36)
    const [a, b, c, d] = matrix
    for (const [at, value] of [
      [0, a],
      [4, b],
      [12, c],
      [16, d],
    ] as const)
      data.writeInt32LE(value * 65_536, at)
    data.writeInt32LE(1 << 30, 32)
    stream.codecpar.addCodedSideData(AV_PKT_DATA_DISPLAYMATRIX, data)
  }
  if (isPicture && cutOff) {
    const data = Buffer.alloc(16)
    for (const [at, value] of [
      [0, cutOff.top],
      [4, cutOff.bottom],
      [8, cutOff.left],
      [12, cutOff.right],
    ] as const)
      data.writeUInt32LE(value, at)
    stream.codecpar.addCodedSideData(AV_PKT_DATA_FRAME_CROPPING, data)
  }
  return stream
}
