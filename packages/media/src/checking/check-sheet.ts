import { stat } from 'node:fs/promises'
import path from 'node:path'
import {
  frameFileName,
  meanOf,
  pictureLikeness,
  presentNumbers,
  sheetAdded,
  toNumber,
  turnedPicture,
  upright,
  type ContactSheet,
  type SheetMeasurement,
} from '@hematine/core'
import { AV_FRAME_DATA_DISPLAYMATRIX } from 'node-av/constants'
import { Frame } from 'node-av/lib'
import type { WorkGate } from '../ground/gate.ts'
import { Graph, videoPadOf } from '../ground/graph.ts'
import { MediaError } from '../ground/libav.ts'
import type { PlainInput } from '../ground/media-input.ts'
import { decodePlainly } from '../proof/plain-decode.ts'
import { matrixSigns, signsOf } from '../proof/plain-look.ts'
import { thumbnailOf } from '../proof/thumbnail.ts'
import { sha256OfFile } from '../volumes/volume-files.ts'

/** A frame with at least so much contrast in both is the same where it is at least so alike; of two even ones, where they are about as bright. */
const leastContrast = 4
const leastLikeness = 0.75
const mostApart = 28
/** Pictures are looked at in this size. */
const looked = 64

/** A contact sheet, and the result that it is to show. */
export interface SheetPlan {
  input: PlainInput
  streamIndex: number
  file: string
  sheet: ContactSheet
}

/**
 * Holds a contact sheet against its result: the file is decoded, and the result once more, plainly, where frames of it are on the sheet.
 * @throws MediaError when one of them does not decode; whatever `gate.turn` rejects with, when stopped
 */
export async function measureSheet(
  { input, streamIndex, file, sheet }: SheetPlan,
  gate: WorkGate,
): Promise<SheetMeasurement> {
  const there = await framesOnSheet(file, sheet, gate)
  const expected = await framesOfResult(input, streamIndex, sheet, gate)
  const same = there.frames.filter((frame, index) => expected[index] && isSame(frame, expected[index])).length
  return {
    file: { added: sheetAdded, bytes: (await stat(file)).size, sha256: await sha256OfFile(file) },
    ...{ width: there.width, height: there.height, frames: there.frames.length },
    others: there.frames.length - same,
  }
}

function isSame(a: ArrayLike<number>, b: ArrayLike<number>): boolean {
  const { value, contrast } = pictureLikeness(a, b)
  return contrast >= leastContrast ? value >= leastLikeness : Math.abs(meanOf(a) - meanOf(b)) <= mostApart
}

/** A part of a frame, or all of it, at 32x32 points of brightness. */
async function small(
  frame: Frame,
  part?: { left: number; top: number; width: number; height: number },
): Promise<number[]> {
  const cut = part ? `crop=${part.width}:${part.height}:${part.left}:${part.top}:exact=1,` : ''
  const times = { timeBase: { num: 1, den: 25 }, frameRate: { num: 25, den: 1 } }
  const graph = await Graph.video(`${cut}scale=${looked}:${looked}:flags=area:out_range=full,format=gray`, [
    videoPadOf(frame, times),
  ])
  const shrunk = new Frame()
  shrunk.alloc()
  try {
    await graph.push(frame)
    await graph.push(null)
    const picture = (await graph.pull(shrunk)) === 'frame' ? thumbnailOf(shrunk) : null
    if (!picture) throw new MediaError('A frame cannot be looked at.')
    return [...picture]
  } finally {
    shrunk.free()
    graph.free()
  }
}

/** What is where a sheet is to have frames; what lies outside of it is not there. */
async function framesOnSheet(
  file: string,
  { frame: size, cells }: ContactSheet,
  gate: WorkGate,
): Promise<{ width: number; height: number; frames: number[][] }> {
  const found = { width: 0, height: 0, frames: [] as number[][] }
  await decodePlainly({ kind: 'file', path: file }, 0, gate, async frame => {
    const { width, height } = frame
    Object.assign(found, { width, height })
    for (const { left, top } of cells)
      if (left + size.width <= width && top + size.height <= height)
        found.frames.push(await small(frame, { left, top, ...size }))
    return false
  })
  return found
}

/** What a result shows when the frames of its sheet begin. */
async function framesOfResult(
  input: PlainInput,
  streamIndex: number,
  { cells }: ContactSheet,
  gate: WorkGate,
): Promise<number[][]> {
  const found: number[][] = []
  if (input.kind === 'sequence') {
    const numbers = [...presentNumbers(input.sequence)]
    for (const { seconds } of cells) {
      const number = numbers[Math.round(seconds * toNumber(input.frameRate))]
      if (number === undefined) break
      const file = path.join(input.directory, frameFileName(input.sequence, number))
      await decodePlainly({ kind: 'file', path: file }, 0, gate, async frame => {
        found.push(await small(frame))
        return false
      })
    }
    return found
  }
  const stated = await signsOf(input, streamIndex)
  let zero: number | null = null
  let last: Frame | null = null
  const add = async (frame: Frame) => {
    const signs = matrixSigns(frame.getSideData(AV_FRAME_DATA_DISPLAYMATRIX)) ?? stated ?? upright
    found.push(turnedPicture(await small(frame), signs))
  }
  try {
    await decodePlainly(input, streamIndex, gate, async (frame, seconds) => {
      if (seconds === null) return false
      zero ??= seconds
      const wanted = () => zero! + cells[found.length]!.seconds
      // Shown is what began last; times are rounded by their containers' clocks.
      while (last && found.length < cells.length && seconds > wanted() + slack) await add(last)
      if (found.length === cells.length) return false
      last?.free()
      last = frame.clone()
      return wanted() - seconds > leadSeconds ? wanted() - leadSeconds : true
    })
    while (last && found.length < cells.length) await add(last)
  } finally {
    ;(last as Frame | null)?.free()
  }
  return found
}

/** What is decoded before a frame, so that the one that is shown then is among it, in seconds. */
const leadSeconds = 0.25
const slack = 0.004
