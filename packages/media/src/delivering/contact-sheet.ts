import { mkdir, writeFile } from 'node:fs/promises'
import path from 'node:path'
import {
  describeSheetTime,
  planContactSheet,
  sheetAdded,
  type ContactSheet,
  type SheetMeasurement,
} from '@hematine/core'
import { AV_PIX_FMT_RGB24 } from 'node-av/constants'
import { Frame } from 'node-av/lib'
import { measureSheet } from '../checking/check-sheet.ts'
import { readResult } from '../checking/result.ts'
import type { TranscodePlan } from '../encoding/transcode.ts'
import type { WorkGate } from '../ground/gate.ts'
import { Graph, videoPadOf } from '../ground/graph.ts'
import { MediaError } from '../ground/libav.ts'
import { toJpeg } from '../stills/frame-sheet.ts'
import { plainStill, rgbOf, type RgbPicture } from '../stills/still.ts'
import { font, quoteOption } from '../treating/font.ts'
import { fileBeside } from '../volumes/result-files.ts'
import { flushToDisk } from '../volumes/volume-files.ts'

/** What the sheet is where no frame is, and the colour of its times: both let the frames speak. */
const [ground, lettered] = [0x16, '0xC8C5C0']

/**
 * Draws a contact sheet of a finished result beside it, where its spec has one, from the result itself, and holds it against that.
 * @param seconds that the result's picture lasts
 * @returns undefined where the spec has none
 * @throws MediaError when a frame of the result cannot be decoded; whatever `gate.turn` rejects with, when stopped; as the file system does
 */
export async function makeContactSheet(
  { spec, treatment: { result }, outputPath }: TranscodePlan,
  seconds: number,
  gate: WorkGate,
): Promise<SheetMeasurement | undefined> {
  if (!spec.sheet) return undefined
  const sheet = planContactSheet(spec.sheet, { ...result, seconds })
  const { picture: input, facts } = await readResult(outputPath, result.rate)
  const { video } = facts
  if (!video) throw new MediaError('The result holds no picture that a contact sheet could be drawn of.')
  const drawn: RgbPicture = {
    ...{ width: sheet.width, height: sheet.height },
    data: Buffer.alloc(sheet.width * sheet.height * 3, ground),
  }
  for (const { seconds: at, left, top } of sheet.cells) {
    await gate.turn()
    place(await plainStill(input, video, at, sheet.frame), drawn, left, top)
  }
  const file = fileBeside(outputPath, sheetAdded)
  await mkdir(path.dirname(file), { recursive: true })
  await writeFile(file, await toJpeg(await withTimes(drawn, sheet)))
  await flushToDisk(file)
  return measureSheet({ input, streamIndex: video.streamIndex, file, sheet }, gate)
}

/** Copies a picture into another. */
function place(small: RgbPicture, into: RgbPicture, left: number, top: number): void {
  for (let row = 0; row < small.height; row++)
    small.data.copy(
      into.data,
      ((top + row) * into.width + left) * 3,
      row * small.width * 3,
      (row + 1) * small.width * 3,
    )
}

/** The sheet with the time of each frame below it, where it has times. */
async function withTimes(picture: RgbPicture, { cells, frame: size, lettering }: ContactSheet): Promise<RgbPicture> {
  if (lettering === null) return picture
  const filters = cells.map(
    ({ seconds, left, top }) =>
      `drawtext=fontfile=${quoteOption(font)}:text=${quoteOption(describeSheetTime(seconds))}:expansion=none:fontcolor=${lettered}:fontsize=${lettering}:x=${left}:y=${top + size.height + Math.round(lettering * 0.35)}`,
  )
  const times = { timeBase: { num: 1, den: 25 }, frameRate: { num: 25, den: 1 } }
  const plain = Frame.fromVideoBuffer(picture.data, {
    ...{ width: picture.width, height: picture.height, format: AV_PIX_FMT_RGB24, timeBase: times.timeBase },
  } as never)
  const result = new Frame()
  result.alloc()
  const graph = await Graph.video(filters.join(','), [videoPadOf(plain, times)])
  try {
    await graph.push(plain)
    await graph.push(null)
    if ((await graph.pull(result)) !== 'frame') throw new MediaError('The times of a contact sheet cannot be drawn.')
    return rgbOf(result)
  } finally {
    graph.free()
    result.free()
    plain.free()
  }
}
