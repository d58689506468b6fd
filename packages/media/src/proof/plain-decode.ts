import { toNumber, type Rational } from '@hematine/core'
import {
  AV_FRAME_FLAG_CORRUPT,
  AV_NOPTS_VALUE,
  AV_PKT_FLAG_KEY,
  AVDISCARD_ALL,
  AVDISCARD_DEFAULT,
  AVSEEK_FLAG_BACKWARD,
} from 'node-av/constants'
import { Codec, CodecContext, Frame, Packet, type FormatContext } from 'node-av/lib'
import { openInput } from '../reading/input.ts'
import type { PlainInput } from '../ground/media-input.ts'
import { CodecCalls } from '../ground/codec-calls.ts'
import { ensure, isAgain, isEnd, MediaError } from '../ground/libav.ts'
import type { WorkGate } from '../ground/gate.ts'

/** What a stream gave when it was decoded from its first packet to its last. */
export interface Decoded {
  frames: number
  /** Packets or frames that the decoder complained about. */
  errors: number
  /** Packets without data after the last one with data. */
  repeatsAtEnd: number
}

/** Packets that are held back before the first that is decoded, at most: what comes without a keyframe for longer is decoded from there on. */
const mostHeld = { packets: 2000, bytes: 256 * 2 ** 20 }

/** When a packet is shown, in seconds; null where nothing says it. @param unit seconds of a tick */
function timeOf({ pts, dts }: Packet, unit: number): number | null {
  const ticks = pts !== AV_NOPTS_VALUE ? pts : dts
  return ticks === AV_NOPTS_VALUE ? null : Number(ticks) * unit
}

/** Seconds before what is wanted at which reading begins: where a file has no index, the times of the first packets behind a place belong to their neighbours. */
const soughtEarly = 1

/** Packets of a stream that come before a time, of which only those from the last keyframe on are needed: what lies before is left out undecoded. */
class HeldPackets {
  private held: Packet[] = []
  private bytes = 0

  /** @param from in seconds of the container */
  constructor(
    private readonly from: number,
    private readonly unit: number,
  ) {}

  /** Takes a packet. @returns those that are to be decoded now, which are the caller's to free; null while none is */
  add(packet: Packet): Packet[] | null {
    const seconds = timeOf(packet, this.unit)
    if (packet.hasFlags(AV_PKT_FLAG_KEY) && seconds !== null && seconds <= this.from) this.free()
    const kept = packet.clone()
    if (!kept) throw new MediaError('A packet cannot be kept: memory ran out.')
    this.held.push(kept)
    this.bytes += packet.size
    const isThere = seconds === null || seconds >= this.from
    if (!isThere && this.held.length < mostHeld.packets && this.bytes < mostHeld.bytes) return null
    return this.takeAll()
  }

  takeAll(): Packet[] {
    const all = this.held
    this.held = []
    return all
  }

  free(): void {
    for (const packet of this.takeAll()) packet.free()
    this.bytes = 0
  }
}

/** Opens a file to read a stream alone, near a place where one is wanted. @returns the file, and whether it was sought: only a keyframe before the place then tells that it did not go too far */
async function openNear(
  input: PlainInput,
  streamIndex: number,
  from: number | null,
): Promise<{ container: FormatContext; isSought: boolean }> {
  const container = await openInput(input)
  for (const other of container.streams) other.discard = other.index === streamIndex ? AVDISCARD_DEFAULT : AVDISCARD_ALL
  const stream = container.streams[streamIndex]
  if (from === null || !stream) return { container, isSought: false }
  const ticks = BigInt(Math.round(((from - soughtEarly) * stream.timeBase.den) / stream.timeBase.num))
  if ((await container.seekFrame(streamIndex, ticks, AVSEEK_FLAG_BACKWARD)) >= 0) return { container, isSought: true }
  // Where it stands now nobody says.
  await container.closeInput()
  return openNear(input, streamIndex, null)
}

/**
 * Decodes a stream from beginning to end by the shortest way there is: no course, no filters, and no seeking but to what is wanted. It shares nothing with what
 * treats a source but the opening of the file, so that what is lost there is not lost here too.
 * @param from seconds of the container: what comes before is only decoded from the last keyframe on, and its errors do not count; all is unless said. Where
 *   seeking leads behind it, the file is read from its beginning
 * @param take told each frame with the time that its packets state in seconds, null where they state none; it must not keep the frame. False ends the reading;
 *   a number goes on from those seconds as `from` does, once a keyframe begins what lies between
 */
export async function decodePlainly(
  input: PlainInput,
  streamIndex: number,
  gate: WorkGate,
  take: (frame: Frame, seconds: number | null) => boolean | number | Promise<boolean | number>,
  from: number | null = null,
): Promise<Decoded> {
  let { container, isSought } = await openNear(input, streamIndex, from)
  const context = new CodecContext()
  const [packet, frame] = [new Packet(), new Frame()]
  packet.alloc()
  frame.alloc()
  const decoded: Decoded = { frames: 0, errors: 0, repeatsAtEnd: 0 }
  let held: HeldPackets | null = null
  let wanted = from
  try {
    const stream = container.streams[streamIndex]
    const codec = stream && Codec.findDecoder(stream.codecpar.codecId)
    if (!stream || !codec)
      throw new MediaError(
        `Stream ${streamIndex} cannot be decoded: it is not there, or no decoder for it is built in.`,
      )
    context.allocContext3(codec)
    ensure(context.parametersToContext(stream.codecpar), 'The stream cannot be decoded')
    context.pktTimebase = stream.timeBase
    context.threadCount = 0
    ensure(await context.open2(codec, null), 'The decoder cannot be opened')
    const unit = toNumber({ num: stream.timeBase.num, den: stream.timeBase.den } satisfies Rational)
    const calls = new CodecCalls(context)
    held = wanted === null ? null : new HeldPackets(wanted, unit)
    // A decoder that is begun in the middle may complain until it has what it needs.
    let counts = wanted === null
    let goesOn = true
    /** What is wanted next, while what was sent before may still lead up to it. */
    let next: number | null = null
    const drain = async () => {
      while (goesOn) {
        const code = await calls.receiveFrame(frame)
        if (isAgain(code) || isEnd(code)) return
        if (code < 0) {
          if (counts) decoded.errors++
          return
        }
        await gate.turn()
        const ticks = frame.bestEffortTimestamp
        const seconds = ticks === AV_NOPTS_VALUE ? null : Number(ticks) * unit
        counts ||= seconds === null || seconds >= wanted!
        if (counts && (frame.decodeErrorFlags !== 0 || frame.hasFlags(AV_FRAME_FLAG_CORRUPT))) decoded.errors++
        decoded.frames++
        const answer = await take(frame, seconds)
        frame.unref()
        goesOn = answer !== false
        if (typeof answer === 'number') next = answer
      }
    }
    const send = async (some: Packet) => {
      const sent = await calls.sendPacket(some)
      if (sent < 0 && !isEnd(sent) && counts) decoded.errors++
      await drain()
    }
    const sendAll = async (all: Packet[]) => {
      try {
        for (const some of all) if (goesOn) await decode(some)
      } finally {
        for (const some of all) some.free()
      }
    }
    const decode = async (some: Packet) => {
      const at = timeOf(some, unit)
      if (next !== null && some.hasFlags(AV_PKT_FLAG_KEY) && at !== null && at <= next) {
        // All frames that were sent lie before it.
        calls.flush()
        held = new HeldPackets(next, unit)
        wanted = next
        counts = false
        next = null
      }
      if (!held) return send(some)
      const due = held.add(some)
      if (!due) return gate.turn()
      held = null
      await sendAll(due)
    }
    while (goesOn) {
      const code = await container.readFrame(packet)
      if (isAgain(code)) continue
      if (code < 0) break
      if (isSought && packet.streamIndex === streamIndex) {
        const [at, isKey] = [timeOf(packet, unit), packet.hasFlags(AV_PKT_FLAG_KEY)]
        const isBehind = at === null || at > from! || (at === from && !isKey)
        if (isBehind || isKey) isSought = false
        if (isBehind) {
          packet.unref()
          held?.free()
          held = new HeldPackets(from!, unit)
          const again = await openNear(input, streamIndex, null)
          await container.closeInput()
          container = again.container
          continue
        }
      }
      // A packet without data repeats the picture before; to the decoder it would mean the end.
      if (packet.streamIndex === streamIndex && packet.size === 0) decoded.repeatsAtEnd++
      if (packet.streamIndex === streamIndex && packet.size > 0) {
        decoded.repeatsAtEnd = 0
        await decode(packet)
      }
      packet.unref()
    }
    const last = held?.takeAll() ?? []
    held = null
    await sendAll(last)
    if (goesOn) {
      await calls.sendPacket(null)
      await drain()
    }
    return decoded
  } finally {
    held?.free()
    frame.free()
    packet.free()
    context.freeContext()
    await container.closeInput()
  }
}
