import { mkdtemp, readFile, rm } from 'node:fs/promises'
import { constants, setPriority, tmpdir } from 'node:os'
import path from 'node:path'
import { CannotTreat, type Rational, type SourceFacts, type PictureTreatment, type VideoFacts } from '@hematine/core'
import type { MediaInput } from '../ground/media-input.ts'
import { MediaError, setUpLibraries } from '../ground/libav.ts'
import { readMark } from '../stills/mark.ts'
import { makeProxy } from './proxy.ts'
import { resultPicture } from '../checking/result.ts'
import { readFacts } from '../reading/source-facts.ts'
import { plainStill, toPng, treatedStill, type RgbPicture } from '../stills/still.ts'

/**
 * A process that decodes single frames and makes pieces of proxies for whoever started it, so that damaged material can end nothing else. Requests come as messages,
 * one at a time; it ends itself when its starter is gone.
 */

export type StillRequest =
  | { kind: 'treated'; input: MediaInput; video: VideoFacts; treatment: PictureTreatment; index: number }
  | { kind: 'plain'; input: MediaInput; video: VideoFacts; seconds: number }
  /** A result whose facts are read for the purpose. `rate`: of its pictures, where they are a sequence */
  | { kind: 'result'; path: string; rate: Rational; seconds: number }
  /** A picture for a mark, whatever its format, in base 64. */
  | { kind: 'mark'; data: string }
  | { kind: 'proxy'; input: MediaInput; facts: SourceFacts; seconds: number; sound: number }

export interface StillQuestion {
  id: number
  request: StillRequest
}
export interface StillAnswer {
  id: number
  /** PNG of the frame or mark, or MP4 of the piece, or why there is none. */
  data: Buffer | null
  reason: string | null
}

async function answerTo(request: StillRequest): Promise<Buffer> {
  if (request.kind === 'mark') return readMark(Buffer.from(request.data, 'base64'))
  if (request.kind === 'proxy') return proxyPiece(request)
  if (request.kind === 'result') return toPng(await resultStill(request))
  const picture =
    request.kind === 'treated'
      ? await treatedStill(request.input, request.video, request.treatment, request.index)
      : await plainStill(request.input, request.video, request.seconds)
  return toPng(picture)
}

async function resultStill({
  path: result,
  rate,
  seconds,
}: Extract<StillRequest, { kind: 'result' }>): Promise<RgbPicture> {
  const input = await resultPicture(result, rate)
  const { video } = await readFacts(input)
  if (!video) throw new MediaError('The file has no picture.')
  return plainStill(input, video, seconds)
}

async function proxyPiece({ input, facts, seconds, sound }: Extract<StillRequest, { kind: 'proxy' }>): Promise<Buffer> {
  const directory = await mkdtemp(path.join(tmpdir(), 'hematine-proxy-'))
  try {
    const file = path.join(directory, 'piece.mp4')
    await makeProxy(input, facts, { startSeconds: seconds, sound }, file)
    return await readFile(file)
  } finally {
    await rm(directory, { recursive: true, force: true })
  }
}

// Frames are for a waiting person, but the server that hands them out goes first.
setPriority(constants.priority.PRIORITY_BELOW_NORMAL)
setUpLibraries()
let last: Promise<unknown> = Promise.resolve()
process.on('message', ({ id, request }: StillQuestion) => {
  last = last.then(async () => {
    let answer: StillAnswer
    try {
      answer = { id, data: await answerTo(request), reason: null }
    } catch (error) {
      answer = {
        id,
        data: null,
        reason:
          error instanceof MediaError || error instanceof CannotTreat
            ? error.message
            : `${request.kind === 'proxy' ? 'This place cannot be played' : 'The frame cannot be shown'}: ${(error as Error).message}`,
      }
    }
    process.send?.(answer)
  })
})
process.on('disconnect', () => process.exit(0))
