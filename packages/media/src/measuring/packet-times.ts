import { toNumber, type SourceFacts } from '@hematine/core'
import { AVSEEK_FLAG_BACKWARD, AV_NOPTS_VALUE } from 'node-av/constants'
import { Packet, type FormatContext } from 'node-av/lib'
import { openInput } from '../reading/input.ts'
import type { MediaInput } from '../ground/media-input.ts'
import { isAgain } from '../ground/libav.ts'
import { readFacts } from '../reading/source-facts.ts'
import { soundZero } from '../sound/sound-treatment.ts'
import type { PacketTimes } from '../reading/source-times.ts'

/** Files up to this size are read to their end when the end cannot be reached by seeking. */
const mostBytesToRead = 1e9
/** Before the stated end of the source, from where the end is looked for. */
const lookBackSeconds = 8

/** Reads the times of packets: of the first `most` of the picture, and of the last of every stream. Sequences have none worth reading. */
export async function readPacketTimes(input: MediaInput, facts: SourceFacts, most: number): Promise<PacketTimes> {
  const { video } = facts
  const pictureSeconds: number[] = []
  const endSeconds = new Map<number, number>()
  if (input.kind === 'sequence') return { pictureSeconds, endSeconds }
  if (input.kind === 'join') return joinedTimes(input, facts, most)
  const origin = await soundZero(input, facts)
  const container = await openInput(input)
  const packet = new Packet()
  packet.alloc()
  try {
    const wholeRead = await readOn(container, packet, origin, endSeconds, (stream, seconds) => {
      if (stream === video?.streamIndex) pictureSeconds.push(seconds)
      return pictureSeconds.length < most && (video !== null || endSeconds.size === 0 || seconds < 60)
    })
    if (!wholeRead) {
      endSeconds.clear()
      const from = Math.max(0, (facts.durationSeconds ?? 0) - lookBackSeconds) + origin
      const index = video?.streamIndex ?? facts.audio[0]!.streamIndex
      const ticks = BigInt(Math.round(from / toNumber(container.streams[index]!.timeBase)))
      if ((await container.seekFrame(index, ticks, AVSEEK_FLAG_BACKWARD)) >= 0)
        await readOn(container, packet, origin, endSeconds, () => true)
      // Where the index promises more than the file holds, nothing is read there and the end is found by reading all.
      if (
        endSeconds.size === 0 &&
        facts.bytes <= mostBytesToRead &&
        (await container.seekFrame(index, 0n, AVSEEK_FLAG_BACKWARD)) >= 0
      )
        await readOn(container, packet, origin, endSeconds, () => true)
    }
  } finally {
    packet.free()
    await container.closeInput()
  }
  return { pictureSeconds: pictureSeconds.sort((a, b) => a - b), endSeconds }
}

/** Times of parts that are played one after the other; streams have the numbers of the first part. */
async function joinedTimes(
  { parts }: Extract<MediaInput, { kind: 'join' }>,
  facts: SourceFacts,
  most: number,
): Promise<PacketTimes> {
  const pictureSeconds: number[] = []
  const endSeconds = new Map<number, number>()
  let begin = 0
  for (const { input, seconds, picture, sound } of parts) {
    const own = await readFacts(input)
    const times = await readPacketTimes(input, own, most - pictureSeconds.length)
    for (const at of times.pictureSeconds) if (at < seconds) pictureSeconds.push(begin + at)
    for (const [stream, end] of times.endSeconds) {
      const number =
        stream === picture?.stream ? facts.video!.streamIndex : facts.audio[sound.indexOf(stream)]?.streamIndex
      if (number !== undefined) endSeconds.set(number, begin + end)
    }
    begin += seconds
  }
  return { pictureSeconds, endSeconds }
}

/** Reads packets until the end, or until `each` has seen enough. @returns whether the end was reached */
async function readOn(
  container: FormatContext,
  packet: Packet,
  origin: number,
  ends: Map<number, number>,
  each: (stream: number, seconds: number) => boolean,
): Promise<boolean> {
  for (;;) {
    const code = await container.readFrame(packet)
    if (isAgain(code)) continue
    if (code < 0) return true
    const base = toNumber(container.streams[packet.streamIndex]!.timeBase)
    const ticks = packet.pts === AV_NOPTS_VALUE ? packet.dts : packet.pts
    let goOn = true
    if (ticks !== AV_NOPTS_VALUE) {
      const seconds = Number(ticks) * base - origin
      const end = seconds + Number(packet.duration) * base
      ends.set(packet.streamIndex, Math.max(ends.get(packet.streamIndex) ?? 0, end))
      goOn = each(packet.streamIndex, seconds)
    }
    packet.unref()
    if (!goOn) return false
  }
}
