import { createHash } from 'node:crypto'
import type { SourceFacts } from '@hematine/core'
import { AV_NOPTS_VALUE } from 'node-av/constants'
import { Packet } from 'node-av/lib'
import type { WorkGate } from '../ground/gate.ts'
import { isAgain, MediaError } from '../ground/libav.ts'
import type { MediaInput, PlainInput } from '../ground/media-input.ts'
import { keepOnlyStream, openInput } from '../reading/input.ts'
import { secondsOf } from '../sound/sound-treatment.ts'

/** Sums of the packets of a stream that end after a time. AAC that comes with a head of its own on each packet (ADTS, ISO/IEC 13818-7) is taken without. */
async function sumsOf(
  input: PlainInput,
  streamIndex: number,
  fromSeconds: number,
  gate: WorkGate,
): Promise<{ sum: string; from: number }[]> {
  const container = await openInput(input)
  const packet = new Packet()
  packet.alloc()
  try {
    keepOnlyStream(container, streamIndex)
    const sums: { sum: string; from: number }[] = []
    for (;;) {
      await gate.turn()
      const code = await container.readFrame(packet)
      if (isAgain(code)) continue
      if (code < 0) return sums
      const { timeBase } = container.streams[streamIndex]!
      if (packet.streamIndex === streamIndex && packet.size > 0 && packet.data && packet.pts !== AV_NOPTS_VALUE) {
        const isHeard = secondsOf(Number(packet.pts + packet.duration), timeBase) > fromSeconds
        if (isHeard)
          sums.push({
            sum: createHash('md5').update(withoutHead(packet.data)).digest('hex'),
            from: secondsOf(Number(packet.pts), timeBase),
          })
      }
      packet.unref()
    }
  } finally {
    packet.free()
    await container.closeInput()
  }
}

function withoutHead(data: Buffer): Buffer {
  const hasHead = data.length > 7 && data[0] === 0xff && (data[1]! & 0xf6) === 0xf0
  return hasHead ? data.subarray((data[1]! & 1) === 1 ? 7 : 9) : data
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
  const around = await sumsOf(input, sourceStream, zero - aroundSeconds, gate)
  const made = await sumsOf(result.input, result.streamIndex, Number.NEGATIVE_INFINITY, gate)
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
