import {
  SoundGauge,
  toNumber,
  type AudioFacts,
  type MeasureDepth,
  type MeasuredSound,
  type SourceFacts,
} from '@hematine/core'
import { Frame } from 'node-av/lib'
import { openFrames } from '../reading/frame-reader.ts'
import { audioPadOf, Graph } from '../ground/graph.ts'
import type { MediaInput } from '../ground/media-input.ts'
import { readR128 } from '../sound/loudness.ts'
import type { PacketTimes } from '../reading/source-times.ts'
import { soundZero } from '../sound/sound-treatment.ts'
import type { WorkGate } from '../ground/gate.ts'

/** Sound is measured whole up to this length, in seconds; of longer sound, stretches of so many seconds spread over it. */
const wholeUpTo: Record<MeasureDepth, number> = { sampled: 240, deep: 3600 }
const stretches = 8
const stretchSeconds = 30
/** Channels beyond this are not looked at one by one. */
const mostChannels = 8

/** Measures one sound track: loudness and true peak by the library's EBU R 128 filter, the rest by samples. */
export async function measureSoundOf(
  input: MediaInput,
  facts: SourceFacts,
  track: AudioFacts,
  depth: MeasureDepth,
  times: PacketTimes,
  gate: WorkGate,
): Promise<MeasuredSound> {
  const origin = await soundZero(input, facts)
  const length = times.endSeconds.get(track.streamIndex) ?? facts.durationSeconds ?? 0
  const whole = length <= wholeUpTo[depth]
  const count = depth === 'deep' ? stretches * 4 : stretches
  const starts = whole
    ? [0]
    : Array.from({ length: count }, (_, index) => (index * (length - stretchSeconds)) / (count - 1))
  const decoder = await openFrames(input, track.streamIndex, 1)
  const [frame, measured] = [new Frame(), new Frame()]
  frame.alloc()
  measured.alloc()
  let graph: Graph | null = null
  const gauge = new SoundGauge(track.sampleRate, Math.min(track.channels, mostChannels))
  const r128 = { loudness: null as number | null, truePeak: null as number | null }
  const drain = async () => {
    while (graph && (await graph.pull(measured)) === 'frame') {
      readR128(measured, r128)
      gauge.add(samplesOf(measured, Math.min(track.channels, mostChannels)))
      measured.unref()
    }
  }
  try {
    for (const start of starts) {
      if (start > 0) {
        try {
          await decoder.seek(BigInt(Math.round((start + origin) / toNumber(decoder.timeBase))))
        } catch {
          break
        }
      }
      let first = true
      let seconds = 0
      while (whole || seconds < stretchSeconds) {
        await gate.turn()
        if (!(await decoder.next(frame))) break
        if (first) gauge.jumpTo(Math.max(0, Number(frame.pts) * toNumber(decoder.timeBase) - origin))
        first = false
        seconds += frame.nbSamples / frame.sampleRate
        graph ??= await Graph.audio(
          `ebur128=peak=true:metadata=1:framelog=quiet,aformat=sample_fmts=fltp:sample_rates=${track.sampleRate}`,
          audioPadOf(frame, decoder.timeBase),
        )
        await graph.push(frame)
        frame.unref()
        await drain()
      }
    }
    await graph?.push(null)
    await drain()
  } finally {
    graph?.free()
    frame.free()
    measured.free()
    await decoder.close()
  }
  return {
    streamIndex: track.streamIndex,
    whole,
    ...r128,
    ...gauge.read(),
    endSeconds: times.endSeconds.get(track.streamIndex) ?? null,
  }
}

function samplesOf(frame: Frame, channels: number): Float32Array[] {
  return Array.from({ length: channels }, (_, channel) => {
    const bytes = frame.data![channel]!
    const copy = new Uint8Array(frame.nbSamples * 4)
    copy.set(bytes.subarray(0, copy.length))
    return new Float32Array(copy.buffer)
  })
}
