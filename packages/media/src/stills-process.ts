import { constants, setPriority } from 'node:os'
import type { Treatment, VideoFacts } from '@hematine/core'
import type { MediaInput } from './input.ts'
import { MediaError, silenceLibraries } from './libav.ts'
import { plainStill, toPng, treatedStill } from './still.ts'

/**
 * A process that decodes single frames for whoever started it, so that damaged material can end nothing else. Requests come as messages,
 * one at a time; it ends itself when its starter is gone.
 */

export type StillRequest =
  | { kind: 'treated', input: MediaInput, video: VideoFacts, treatment: Treatment, index: number }
  | { kind: 'plain', input: MediaInput, video: VideoFacts, seconds: number }

export interface StillQuestion {
  id: number
  request: StillRequest
}
export interface StillAnswer {
  id: number
  /** PNG of the frame, or why there is none. */
  png: Buffer | null
  reason: string | null
}

async function still(request: StillRequest): Promise<Buffer> {
  const picture = request.kind === 'treated'
    ? await treatedStill(request.input, request.video, request.treatment, request.index)
    : await plainStill(request.input, request.video, request.seconds)
  return toPng(picture)
}

// Frames are for a waiting person, but the server that hands them out goes first.
setPriority(constants.priority.PRIORITY_BELOW_NORMAL)
silenceLibraries()
let last: Promise<unknown> = Promise.resolve()
process.on('message', ({ id, request }: StillQuestion) => {
  last = last.then(async () => {
    let answer: StillAnswer
    try {
      answer = { id, png: await still(request), reason: null }
    } catch (error) {
      answer = { id, png: null, reason: error instanceof MediaError ? error.message : `The frame cannot be shown: ${(error as Error).message}` }
    }
    process.send?.(answer)
  })
})
process.on('disconnect', () => process.exit(0))
