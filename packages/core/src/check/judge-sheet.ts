import { planContactSheet } from '../contact-sheet.ts'
import type { PictureSpec } from '../spec/schema.ts'
import type { PictureTreatment } from '../treatment/index.ts'
import type { AddLine } from './lines.ts'
import type { PictureCheckMeasurement } from './records.ts'

/** The line on a contact sheet, where the spec has one. */
export function judgeSheet(
  add: AddLine,
  { video, sheet: drawn }: PictureCheckMeasurement,
  { sheet }: PictureSpec,
  { result }: PictureTreatment,
): void {
  if (!sheet) return
  const { width, height, cells } = planContactSheet(sheet, {
    frame: result.frame,
    rate: result.rate,
    seconds: video.durationSeconds,
  })
  const words = (frames: number, size: { width: number; height: number }) =>
    `${frames} ${frames === 1 ? 'frame' : 'frames'}, ${size.width}x${size.height}`
  add(
    'contact sheet',
    words(cells.length, { width, height }),
    drawn ? `${words(drawn.frames, drawn)}${drawn.others > 0 ? `, ${drawn.others} of them others` : ''}` : 'none',
    drawn?.others === 0 && drawn.frames === cells.length && drawn.width === width && drawn.height === height,
    'The contact sheet is missing, or shows something else than the result does. Make it again.',
  )
}
