import { copyFromDrive } from '../copying.ts'
import type { Kind } from './kind.ts'

/** Reading the disc of a drive into an image. */
export const copy: Kind<'copy'> = {
  name: 'copy',
  lanes: 1,
  processor: null,
  leadsTo: ['facts'],
  run: ({ copyId }, hands) => copyFromDrive(hands.em, hands.queue, copyId, () => hands.isStopping),
}
