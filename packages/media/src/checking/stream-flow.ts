import { FlowMeter, toNumber, type StreamFlow, type StreamLimits } from '@hematine/core'
import { AV_NOPTS_VALUE } from 'node-av/constants'
import { Packet } from 'node-av/lib'
import type { WorkGate } from '../ground/gate.ts'
import { isAgain } from '../ground/libav.ts'
import type { PlainInput } from '../ground/media-input.ts'
import { keepOnlyStream, openInput } from '../reading/input.ts'

/** Packets between two looks at whether the work is to go on. */
const batch = 500

/**
 * Reads a stream's packets as they lie in its file and follows what a player needs that keeps to limits.
 * @throws MediaError when the file cannot be opened; whatever `gate.turn` rejects with, when stopped
 */
export async function measureFlow(
  { input, streamIndex }: { input: PlainInput; streamIndex: number },
  limits: StreamLimits,
  gate: WorkGate,
): Promise<StreamFlow> {
  const container = await openInput(input)
  const packet = new Packet()
  packet.alloc()
  try {
    keepOnlyStream(container, streamIndex)
    const { timeBase } = container.streams[streamIndex]!
    const meter = new FlowMeter(limits)
    let [count, last] = [0, 0]
    for (;;) {
      // One call after another: the asynchronous call takes longer than the reading itself.
      const code = container.readFrameSync(packet)
      if (isAgain(code)) continue
      if (code < 0) return meter.found
      if (packet.streamIndex === streamIndex) {
        const ticks = packet.dts === AV_NOPTS_VALUE ? packet.pts : packet.dts
        if (ticks !== AV_NOPTS_VALUE) last = Number(ticks) * toNumber(timeBase)
        meter.add(last, packet.size * 8)
      }
      packet.unref()
      if (++count % batch === 0) {
        await new Promise(resolve => setImmediate(resolve))
        await gate.turn()
      }
    }
  } finally {
    packet.free()
    await container.closeInput()
  }
}
