import { stat } from 'node:fs/promises'
import path from 'node:path'
import { frameFileName, isTiffOfJpeg, presentNumbers, profileName } from '@hematine/core'
import { MediaError } from '../ground/libav.ts'
import { readAt } from '../ground/read-at.ts'
import type { MediaInput, PlainInput } from '../ground/media-input.ts'
import { refuseTooLarge } from './picture-limit.ts'
import { pictures } from '../ground/when-wanted.ts'

/** Files of one picture, which the still-image library reads as well. */
const stills = /\.(png|jpe?g|tiff?|webp|gif|avif|heic|svg)$/i
const jpegs = /\.jpe?g$/i
const tailBytes = 1024

/** What a file of one picture says that the media library does not tell. */
export interface StillHead {
  /** Name of the profile that its colours are by; null without one. */
  profile: string | null
}

/** The file of a still, or of the first picture of a sequence; null for what is neither. */
function fileOf(input: PlainInput): string | null {
  if (input.kind === 'title') return null
  const file =
    input.kind === 'file' ? input.path : path.join(input.directory, frameFileName(input.sequence, input.sequence.first))
  return stills.test(path.basename(file)) ? file : null
}

/**
 * Looks at the head of a still, or of the first picture of a sequence, before anything is decoded.
 * @returns null for what is neither, or what the still-image library does not know
 * @throws MediaError when it is too large, or its colours are not read right here
 */
export async function readStillHead(input: PlainInput): Promise<StillHead | null> {
  const file = fileOf(input)
  if (!file) return null
  const head = await pictures()(file, { limitInputPixels: false })
    .metadata()
    .catch(() => null)
  if (!head) return null
  refuseTooLarge(head.width, head.height)
  const convert = 'Save a copy in red, green and blue, as PNG or TIFF without JPEG inside, and bring that in.'
  if (head.space === 'cmyk')
    throw new MediaError(
      `The picture is stored in the colours of inks (CMYK), which are not read right here. ${convert}`,
    )
  if (head.space === 'lab')
    throw new MediaError(`The picture is stored in the colours of CIE Lab, which are not read right here. ${convert}`)
  if (await isTiffOfJpeg((at, length) => readAt(file, at, length)))
    throw new MediaError(`The picture is a TIFF with JPEG inside, whose colours are not read right here. ${convert}`)
  return { profile: head.icc ? profileName(head.icc) : null }
}

/**
 * The pictures of a still or a sequence whose file ends before its picture does, which the media library passes over: it fills a JPEG up with grey without
 * a word.
 * @returns their places from 0; none for what is neither
 */
export async function picturesCutShort(input: MediaInput): Promise<number[]> {
  if (input.kind === 'file') {
    const file = fileOf(input)
    return file && (await endsEarly(file)) ? [0] : []
  }
  if (input.kind !== 'sequence' || !jpegs.test(input.sequence.suffix)) return []
  const cutShort: number[] = []
  const { first, step = 1 } = input.sequence
  for (const number of presentNumbers(input.sequence)) {
    const file = path.join(input.directory, frameFileName(input.sequence, number))
    if (!(await hasEnd(file)) && (await endsEarly(file))) cutShort.push((number - first) / step)
  }
  return cutShort
}

/** Whether the end of an image stands among the last bytes of a JPEG (ITU-T T.81, B.1.1.3): what has it need not be decoded. */
async function hasEnd(file: string): Promise<boolean> {
  const { size } = await stat(file)
  const tail = await readAt(file, Math.max(0, size - tailBytes), tailBytes)
  return Buffer.from(tail).includes(Buffer.from([0xff, 0xd9]))
}

function endsEarly(file: string): Promise<boolean> {
  return pictures()(file, { failOn: 'truncated', limitInputPixels: false })
    .stats()
    .then(
      () => false,
      (error: Error) => /premature end|truncat|end of (file|JPEG|data)|unexpected eof/i.test(error.message),
    )
}
