import { Frame } from 'node-av/lib'
import { openFrames } from '../reading/frame-reader.ts'
import { audioPadOf, Graph } from '../ground/graph.ts'
import type { MediaInput } from '../ground/media-input.ts'

/** Integrated loudness of a whole track by EBU R 128, in LUFS; null when it is below the gate throughout. */
export async function loudnessOf(input: MediaInput, streamIndex: number): Promise<number | null> {
  const decoder = await openFrames(input, streamIndex, 1)
  const [frame, measured] = [new Frame(), new Frame()]
  frame.alloc()
  measured.alloc()
  let graph: Graph | null = null
  const r128 = { loudness: null as number | null, truePeak: null as number | null }
  const drain = async () => {
    while (graph && (await graph.pull(measured)) === 'frame') {
      readR128(measured, r128)
      measured.unref()
    }
  }
  try {
    while (await decoder.next(frame)) {
      graph ??= await Graph.audio('ebur128=metadata=1:framelog=quiet', audioPadOf(frame, decoder.timeBase))
      await graph.push(frame)
      frame.unref()
      await drain()
    }
    await (graph as Graph | null)?.push(null)
    await drain()
    return r128.loudness
  } finally {
    ;(graph as Graph | null)?.free()
    frame.free()
    measured.free()
    await decoder.close()
  }
}

/** Notes what the library's EBU R 128 filter wrote on a frame. */
export function readR128(frame: Frame, into: { loudness: number | null; truePeak: number | null }): void {
  const metadata = frame.getMetadata()
  const integrated = Number(metadata?.get('lavfi.r128.I') ?? Number.NaN)
  // The filter says -70 while everything was below its gate.
  if (Number.isFinite(integrated)) into.loudness = integrated > -69.9 ? integrated : null
  const peak = Number(metadata?.get('lavfi.r128.true_peak') ?? Number.NaN)
  if (Number.isFinite(peak)) into.truePeak = peak > 1e-6 ? 20 * Math.log10(peak) : null
}
