import {
  AV_FRAME_DATA_DISPLAYMATRIX,
  AV_LOG_QUIET,
  AV_NOPTS_VALUE,
  AV_PKT_DATA_DISPLAYMATRIX,
  AV_PKT_FLAG_DISCARD,
  AVMEDIA_TYPE_AUDIO,
  AVMEDIA_TYPE_VIDEO,
} from 'node-av/constants'
import { Codec, CodecContext, FormatContext, Frame, Log, Packet } from 'node-av/lib'

/**
 * An independent count of what a file holds: a reader of its own, which shares no code with the application and goes by the library's calls alone.
 */

export interface PlainCount {
  /** Pictures that decoded, packets with data that are shown, packets without data. */
  decoded: number
  packets: number
  empty: number
  width: number
  height: number
  /** Steps between the pictures' times, sorted, in seconds; empty where the stream states none. */
  steps: number[]
  /** Seconds of sound by its samples, for each track. */
  sound: number[]
  errors: number
}

interface Track {
  index: number
  isPicture: boolean
  context: CodecContext
  unit: number
}

/** Reads a file whole. @returns null when it cannot be opened or holds nothing that decodes */
export async function countPlainly(file: string): Promise<PlainCount | null> {
  Log.setLevel(AV_LOG_QUIET)
  const input = new FormatContext()
  if ((await input.openInput(file, null, null)) < 0) return null
  const [packet, frame] = [new Packet(), new Frame()]
  packet.alloc()
  frame.alloc()
  const tracks: Track[] = []
  const count: PlainCount = { decoded: 0, packets: 0, empty: 0, width: 0, height: 0, steps: [], sound: [], errors: 0 }
  try {
    if ((await input.findStreamInfo(null)) < 0) return null
    for (const stream of input.streams) {
      const type = stream.codecpar.codecType
      if (type !== AVMEDIA_TYPE_VIDEO && type !== AVMEDIA_TYPE_AUDIO) continue
      if (type === AVMEDIA_TYPE_VIDEO && tracks.some(track => track.isPicture)) continue
      const codec = Codec.findDecoder(stream.codecpar.codecId)
      if (!codec) continue
      const context = new CodecContext()
      context.allocContext3(codec)
      context.parametersToContext(stream.codecpar)
      context.pktTimebase = stream.timeBase
      if ((await context.open2(codec, null)) < 0) continue
      tracks.push({
        index: stream.index,
        isPicture: type === AVMEDIA_TYPE_VIDEO,
        context,
        unit: stream.timeBase.num / stream.timeBase.den,
      })
    }
    const sound = new Map<number, number>()
    const times: number[] = []
    const drain = async (track: Track) => {
      while ((await track.context.receiveFrame(frame)) >= 0) {
        if (track.isPicture) {
          if (count.decoded === 0) {
            const data =
              frame.getSideData(AV_FRAME_DATA_DISPLAYMATRIX) ??
              input.streams[track.index]!.codecpar.getCodedSideData(AV_PKT_DATA_DISPLAYMATRIX)
            // The first factor is 0 where width and height change places.
            const swaps = data !== null && Math.abs(data.readInt32LE(0)) < 1000 && Math.abs(data.readInt32LE(4)) > 1000
            ;[count.width, count.height] = swaps ? [frame.height, frame.width] : [frame.width, frame.height]
          }
          count.decoded++
          if (frame.pts !== AV_NOPTS_VALUE) times.push(Number(frame.pts) * track.unit)
        } else {
          sound.set(track.index, (sound.get(track.index) ?? 0) + frame.nbSamples / frame.sampleRate)
        }
        frame.unref()
      }
    }
    while ((await input.readFrame(packet)) >= 0) {
      const track = tracks.find(entry => entry.index === packet.streamIndex)
      if (track) {
        if (track.isPicture && packet.size === 0) count.empty++
        else if (track.isPicture && (packet.flags & AV_PKT_FLAG_DISCARD) === 0) count.packets++
        if (packet.size > 0) {
          if ((await track.context.sendPacket(packet)) < 0) count.errors++
          await drain(track)
        }
      }
      packet.unref()
    }
    for (const track of tracks) {
      await track.context.sendPacket(null)
      await drain(track)
    }
    times.sort((a, b) => a - b)
    count.steps = times
      .slice(1)
      .map((at, index) => at - times[index]!)
      .sort((a, b) => a - b)
    count.sound = tracks.filter(track => !track.isPicture).map(track => sound.get(track.index) ?? 0)
    return count.decoded > 0 || count.sound.some(seconds => seconds > 0) ? count : null
  } finally {
    for (const track of tracks) track.context.freeContext()
    frame.free()
    packet.free()
    await input.closeInput()
  }
}
