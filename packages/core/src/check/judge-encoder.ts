import { encoderNeed } from '../devices/device.ts'
import type { PictureSpec } from '../spec/schema.ts'
import type { PictureTreatment } from '../treatment/index.ts'
import type { AddLine } from './lines.ts'
import type { PictureCheckMeasurement } from './records.ts'

/** The line on who encoded, where the spec asks for a graphics device: its pictures are others than the processor's. */
export function judgeEncoder(
  add: AddLine,
  { encodedBy }: PictureCheckMeasurement,
  spec: PictureSpec,
  { copied }: PictureTreatment,
): void {
  if (copied || encoderNeed(spec) === null) return
  add(
    'encoder',
    'of a graphics device',
    encodedBy ?? 'of the processor',
    encodedBy !== undefined,
    'The processor encoded it, and the spec asks for a graphics device. Make it again.',
  )
}
