import { cutsIn, histogram, histogramChange, meanChange, toNumber, type Plane, type VideoFacts } from '@hematine/core'
import { Frame } from 'node-av/lib'
import type { WorkGate } from '../ground/gate.ts'
import { Graph, videoPadOf } from '../ground/graph.ts'
import type { MediaInput } from '../ground/media-input.ts'
import { openFrames } from '../reading/frame-reader.ts'
import { copiedPlane, staysOf, toLimited } from './measure-picture.ts'

/** Pictures are looked at in this width at most: a cut changes all of them, and small ones are quick. */
const mostWidth = 480

/**
 * Looks at every picture of a source once, for where it cuts from one shot to the next. What one shot fades into is no cut.
 * @param gate asked before each picture
 * @returns times of the first pictures behind cuts, in seconds from the picture's start
 * @throws MediaError; whatever `gate.turn` rejects with, when stopped
 */
export async function findCuts(input: MediaInput, video: VideoFacts, gate: WorkGate): Promise<number[]> {
  const [seconds, change, moved, stays]: [number[], number[], number[], number[]] = [[], [], [], []]
  const decoder = await openFrames(input, video.streamIndex)
  const [frame, small] = [new Frame(), new Frame()]
  frame.alloc()
  small.alloc()
  let graph: Graph | null = null
  let before: { luma: Plane; counts: Uint32Array } | null = null
  const look = async () => {
    while (graph && (await graph.pull(small)) === 'frame') {
      const luma = copiedPlane(small, 0, small.width, small.height)
      const counts = histogram(luma)
      seconds.push((Number(small.pts) - video.startTicks) * toNumber(decoder.timeBase))
      const changed = before ? meanChange(before.luma, luma) : 0
      change.push(changed)
      stays.push(before ? staysOf(before.luma, luma, changed) : 1)
      moved.push(before ? histogramChange(before.counts, counts) : 0)
      before = { luma, counts }
      small.unref()
    }
  }
  try {
    for (;;) {
      await gate.turn()
      if (!(await decoder.next(frame))) break
      graph ??= await Graph.video(toLimited(video, sizeFor(frame)), [
        videoPadOf(frame, { timeBase: decoder.timeBase, frameRate: video.frameRate }),
      ])
      await graph.push(frame)
      frame.unref()
      await look()
    }
    await graph?.push(null)
    await look()
  } finally {
    graph?.free()
    frame.free()
    small.free()
    await decoder.close()
  }
  return cutsIn({ change, histogramChange: moved, stays }).map(index => Math.round(seconds[index]! * 1e4) / 1e4)
}

/** The size that pictures are looked at in, of even sides. */
function sizeFor({ width, height }: Pick<Frame, 'width' | 'height'>): { width: number; height: number } {
  const factor = Math.min(1, mostWidth / width)
  const even = (side: number) => Math.max(2, 2 * Math.round((side * factor) / 2))
  return { width: even(width), height: even(height) }
}
