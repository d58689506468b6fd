import { createHash } from 'node:crypto'
import type { SourceFacts } from '@hematine/core'
import { AV_NOPTS_VALUE, AVFMT_FLAG_GENPTS } from 'node-av/constants'
import { Packet } from 'node-av/lib'
import type { WorkGate } from '../ground/gate.ts'
import { isAgain, isEnd, MediaError } from '../ground/libav.ts'
import type { MediaInput, PlainInput } from '../ground/media-input.ts'
import { keepOnlyStream, openInput } from '../reading/input.ts'
import { secondsOf } from '../sound/sound-treatment.ts'
import { slicesOf, soundAlone, type Plain } from '../proof/packet-content.ts'

/** A packet by what is in it, and when it is shown or heard, in seconds of its file. */
interface Sum {
  sum: string
  from: number
  to: number
  isKey: boolean
}

/** Sums of the packets of a stream, as the file has them, and whether it could be read to its end. */
async function sumsOf(
  input: PlainInput,
  streamIndex: number,
  plainOf: Plain,
  gate: WorkGate,
  onProgress: (packets: number) => void = () => undefined,
): Promise<{ sums: Sum[]; isWhole: boolean }> {
  const container = await openInput(input)
  // Packets of transport and program streams often carry no time of their own.
  container.setFlags(AVFMT_FLAG_GENPTS)
  const packet = new Packet()
  packet.alloc()
  try {
    keepOnlyStream(container, streamIndex)
    const { timeBase, codecpar } = container.streams[streamIndex]!
    const plain = plainOf(codecpar.extradata)
    const sums: Sum[] = []
    for (;;) {
      await gate.turn()
      const code = await container.readFrame(packet)
      if (isAgain(code)) continue
      if (code < 0) return { sums, isWhole: isEnd(code) }
      if (packet.streamIndex === streamIndex && packet.size > 0 && packet.data && packet.pts !== AV_NOPTS_VALUE) {
        const hash = createHash('md5')
        for (const part of plain(packet.data)) hash.update(part)
        sums.push({
          sum: hash.digest('hex'),
          from: secondsOf(Number(packet.pts), timeBase),
          to: secondsOf(Number(packet.pts + packet.duration), timeBase),
          isKey: packet.isKeyframe,
        })
        onProgress(sums.length)
      }
      packet.unref()
    }
  } finally {
    packet.free()
    await container.closeInput()
  }
}

/** The result may begin with packets of the source that end so long before its picture begins, in seconds. */
const aroundSeconds = 0.1

/** Holds a copied track against the source's own, packet by packet. */
export async function comparePackets(
  { input, facts }: { input: MediaInput; facts: SourceFacts },
  sourceStream: number,
  result: { input: PlainInput; streamIndex: number },
  gate: WorkGate,
): Promise<{ packets: number; sourcePackets: number; different: number }> {
  if (input.kind === 'join') throw new MediaError('The sound of sources that are joined is not copied.')
  const { video } = facts
  const zero = video ? secondsOf(video.startTicks, video.timeBase) : 0
  const { sums } = await sumsOf(input, sourceStream, soundAlone, gate)
  const around = sums.filter(({ to }) => to > zero - aroundSeconds)
  const { sums: made } = await sumsOf(result.input, result.streamIndex, soundAlone, gate)
  const before = around.findIndex(({ from }) => from >= zero)
  // It may begin with any of the packets before the picture's beginning; silent ones are all alike, so the one is taken with which the rest fits best.
  const fits = Array.from({ length: Math.max(0, before) + 1 }, (_, begin) => {
    const source = around.slice(begin)
    const different = made.filter(({ sum }, index) => index < source.length && sum !== source[index]!.sum).length
    return { packets: made.length, sourcePackets: source.length, different }
  })
  const faults = ({ packets, sourcePackets, different }: (typeof fits)[number]) =>
    different + Math.abs(packets - sourcePackets)
  return fits.reduce((best, fit) => (faults(fit) < faults(best) ? fit : best))
}

/** Times are rounded to milliseconds by some containers, at the source's end and at the result's. */
const timeTolerance = 0.0021

/**
 * Holds a copied picture against the source's own, packet by packet in the order of decoding: what is in them, and when they are shown. Of H.264 and HEVC the
 * slices are compared, since containers differ in how they part them and in what they put between.
 * @returns what was counted, and whether both could be read to their ends
 */
export async function comparePictures(
  { input, facts }: { input: MediaInput; facts: SourceFacts },
  result: { input: PlainInput; streamIndex: number },
  gate: WorkGate,
  onProgress: (packets: number) => void = () => undefined,
): Promise<{ packets: number; sourcePackets: number; different: number; isWhole: boolean }> {
  if (input.kind === 'join') throw new MediaError('The picture of sources that are joined is not copied.')
  const video = facts.video!
  const zero = secondsOf(video.startTicks, video.timeBase)
  const plain: Plain = head => slicesOf(video.codec, head)
  const all = await sumsOf(input, video.streamIndex, plain, gate, onProgress)
  const begin = all.sums.findIndex(({ isKey }) => isKey)
  const source = all.sums.slice(Math.max(0, begin)).filter(({ from }) => from > zero - timeTolerance)
  const { sums: made, isWhole } = await sumsOf(result.input, result.streamIndex, plain, gate, onProgress)
  const offset = (made[0]?.from ?? 0) - (source[0]?.from ?? 0)
  const differs = ({ sum, from }: Sum, other: Sum | undefined) =>
    other !== undefined && (sum !== other.sum || Math.abs(from - other.from - offset) > timeTolerance)
  return {
    packets: made.length,
    sourcePackets: source.length,
    different: made.filter((packet, index) => differs(packet, source[index])).length,
    isWhole: all.isWhole && isWhole,
  }
}
