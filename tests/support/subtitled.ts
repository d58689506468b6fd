import { AVMEDIA_TYPE_SUBTITLE, type AVCodecID, type AVDisposition } from 'node-av/constants'
import { Dictionary, FormatContext, OutputFormat, Packet, Rational } from 'node-av/lib'
import { copyStream } from './rewrap.ts'

/** A subtitle track whose packets are written as they are. */
export interface RawSubtitles {
  codec: AVCodecID
  language?: string
  title?: string
  disposition?: number
  head?: Buffer
  packets: { at: number; seconds: number; data: Buffer }[]
}

/** Writes the packets of a file into another one, with subtitle tracks of known packets behind its own. */
export async function addSubtitles(
  from: string,
  to: string,
  format: string,
  tracks: readonly RawSubtitles[],
): Promise<void> {
  const input = new FormatContext()
  if ((await input.openInput(from, null, null)) < 0) throw new Error(`${from} cannot be opened.`)
  await input.findStreamInfo(null)
  const output = new FormatContext()
  output.allocOutputContext2(OutputFormat.guessFormat(format as never, null, null)!, null, to)
  output.url = to
  const streams = input.streams.map(source => copyStream(output, source))
  const text = tracks.map(track => {
    const stream = output.newStream(null)
    stream.codecpar.codecType = AVMEDIA_TYPE_SUBTITLE
    stream.codecpar.codecId = track.codec
    if (track.head) stream.codecpar.extradata = track.head
    stream.timeBase = new Rational(1, 1000)
    const tags = {
      ...(track.language ? { language: track.language } : {}),
      ...(track.title ? { title: track.title } : {}),
    }
    if (Object.keys(tags).length > 0) stream.metadata = Dictionary.fromObject(tags)
    stream.disposition = (track.disposition ?? 0) as AVDisposition
    return stream
  })
  const settings = Dictionary.fromObject(format === 'matroska' ? { default_mode: 'passthrough' } : {})
  if ((await output.openOutput()) < 0 || (await output.writeHeader(settings)) < 0)
    throw new Error(`${to} cannot be begun.`)
  const packet = new Packet()
  packet.alloc()
  while ((await input.readFrame(packet)) >= 0) {
    packet.rescaleTs(input.streams[packet.streamIndex]!.timeBase, streams[packet.streamIndex]!.timeBase)
    packet.pos = -1n
    await output.interleavedWriteFrame(packet)
    packet.unref()
  }
  for (const [index, track] of tracks.entries()) {
    for (const { at, seconds, data } of track.packets) {
      packet.data = data
      packet.pts = packet.dts = BigInt(Math.round(at * 1000))
      packet.duration = BigInt(Math.round(seconds * 1000))
      packet.streamIndex = text[index]!.index
      packet.rescaleTs(new Rational(1, 1000), text[index]!.timeBase)
      if ((await output.interleavedWriteFrame(packet)) < 0) throw new Error(`A text cannot be written into ${to}.`)
      packet.unref()
    }
  }
  packet.free()
  await output.writeTrailer()
  await output.closeOutput()
  output.freeContext()
  await input.closeInput()
}

/** Every packet of a file's subtitle tracks, by track: seconds, length and data. */
export async function packetsOfSubtitles(
  file: string,
): Promise<{ codec: number; disposition: number; packets: { at: number; seconds: number; data: Buffer }[] }[]> {
  const input = new FormatContext()
  if ((await input.openInput(file, null, null)) < 0) throw new Error(`${file} cannot be opened.`)
  await input.findStreamInfo(null)
  const tracks = input.streams
    .filter(stream => stream.codecpar.codecType === AVMEDIA_TYPE_SUBTITLE)
    .map(stream => ({
      index: stream.index,
      codec: Number(stream.codecpar.codecId),
      disposition: Number(stream.disposition),
      packets: [] as { at: number; seconds: number; data: Buffer }[],
    }))
  const packet = new Packet()
  packet.alloc()
  while ((await input.readFrame(packet)) >= 0) {
    const track = tracks.find(({ index }) => index === packet.streamIndex)
    const { num, den } = input.streams[packet.streamIndex]!.timeBase
    if (track)
      track.packets.push({
        at: (Number(packet.pts) * num) / den,
        seconds: (Number(packet.duration) * num) / den,
        data: Buffer.from(packet.data!),
      })
    packet.unref()
  }
  packet.free()
  await input.closeInput()
  return tracks
}
