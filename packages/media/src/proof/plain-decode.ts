import { toNumber, type Rational } from '@hematine/core'
import { AV_FRAME_FLAG_CORRUPT, AV_NOPTS_VALUE, AVDISCARD_ALL, AVDISCARD_DEFAULT } from 'node-av/constants'
import { Codec, CodecContext, Frame, Packet } from 'node-av/lib'
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

/**
 * Decodes a stream from beginning to end by the shortest way there is: no seeking, no course, no filters. It shares nothing with what treats a
 * source but the opening of the file, so that what is lost there is not lost here too.
 * @param take told each frame with the time that its packets state in seconds, null where they state none; it must not keep the frame. False ends the reading
 */
export async function decodePlainly(
  input: PlainInput,
  streamIndex: number,
  gate: WorkGate,
  take: (frame: Frame, seconds: number | null) => boolean | Promise<boolean>,
): Promise<Decoded> {
  const container = await openInput(input)
  const context = new CodecContext()
  const [packet, frame] = [new Packet(), new Frame()]
  packet.alloc()
  frame.alloc()
  const decoded: Decoded = { frames: 0, errors: 0, repeatsAtEnd: 0 }
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
    for (const other of container.streams)
      other.discard = other.index === streamIndex ? AVDISCARD_DEFAULT : AVDISCARD_ALL
    const unit = toNumber({ num: stream.timeBase.num, den: stream.timeBase.den } satisfies Rational)
    const calls = new CodecCalls(context)
    let goesOn = true
    const drain = async () => {
      while (goesOn) {
        const code = await calls.receiveFrame(frame)
        if (isAgain(code) || isEnd(code)) return
        if (code < 0) {
          decoded.errors++
          return
        }
        await gate.turn()
        if (frame.decodeErrorFlags !== 0 || frame.hasFlags(AV_FRAME_FLAG_CORRUPT)) decoded.errors++
        decoded.frames++
        const ticks = frame.bestEffortTimestamp
        goesOn = await take(frame, ticks === AV_NOPTS_VALUE ? null : Number(ticks) * unit)
        frame.unref()
      }
    }
    while (goesOn) {
      const code = await container.readFrame(packet)
      if (isAgain(code)) continue
      if (code < 0) break
      // A packet without data repeats the picture before; to the decoder it would mean the end.
      if (packet.streamIndex === streamIndex && packet.size === 0) decoded.repeatsAtEnd++
      if (packet.streamIndex === streamIndex && packet.size > 0) {
        decoded.repeatsAtEnd = 0
        const sent = await calls.sendPacket(packet)
        if (sent < 0 && !isEnd(sent)) decoded.errors++
        await drain()
      }
      packet.unref()
    }
    if (goesOn) {
      await calls.sendPacket(null)
      await drain()
    }
    return decoded
  } finally {
    frame.free()
    packet.free()
    context.freeContext()
    await container.closeInput()
  }
}
