import { mkdtemp, rm } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import path from 'node:path'
import { quoteOption } from '@hematine/media/treating/font'
import { writeClip } from '@hematine/demo/write-clip'
import { plainStill } from '@hematine/media/stills/still'
import { readFacts } from '@hematine/media/reading/source-facts'
import sharp from 'sharp'
import type { Picture } from './pictures.ts'

/** How a small picture is made from a large one of twice its size. */
export interface Degradation {
  /** "area" averages each four pixels, as cameras and scanners do; "cubic" is the textbook reduction. */
  reduce: 'area' | 'cubic'
  /** Standard deviation of an optical blur before it, in pixels of the large picture; 0 for none. */
  blur: number
  /** Standard deviation of noise added to the small picture, in codes. */
  noise: number
  codec: { encoder: 'mpeg2video' | 'mpeg4' | 'mjpeg' | 'libx264', quality: number } | null
}

/** Edge that a degraded picture loses on each side, in its own pixels: the coded clip moves by it. */
export const lostEdge = 4

/** Half of a picture's size, damaged; `lostEdge` pixels are missing around it. Its size is a multiple of 16. */
export async function degrade(picture: Picture, how: Degradation, random: () => number): Promise<Picture> {
  const raw = { width: picture.width, height: picture.height, channels: 3 as const }
  const [width, height] = [Math.floor(picture.width / 2), Math.floor(picture.height / 2)]
  const even = sharp(picture.data, { raw }).extract({ left: 0, top: 0, width: width * 2, height: height * 2 })
  const blurred = how.blur > 0 ? sharp(await even.raw().toBuffer(), { raw: { ...raw, width: width * 2, height: height * 2 } }).blur(how.blur) : even
  const large = await blurred.raw().toBuffer()
  const small = how.reduce === 'area' ? averaged(large, width, height) : await sharp(large, { raw: { ...raw, width: width * 2, height: height * 2 } }).resize(width, height, { kernel: 'cubic', fit: 'fill' }).raw().toBuffer()
  if (how.noise > 0) for (let at = 0; at < small.length; at++) small[at] = Math.min(255, Math.max(0, Math.round(small[at]! + how.noise * (random() + random() + random() + random() - 2) * 1.732)))
  const inner = { width: Math.floor((width - 2 * lostEdge) / 16) * 16, height: Math.floor((height - 2 * lostEdge) / 16) * 16 }
  if (!how.codec) {
    const data = await sharp(small, { raw: { width, height, channels: 3 } }).extract({ left: lostEdge, top: lostEdge, ...inner }).raw().toBuffer()
    return { name: picture.name, ...inner, data }
  }
  return coded(small, { width, height }, inner, how.codec, picture.name)
}

/** Mean of each two by two pixels. */
function averaged(data: Buffer, width: number, height: number): Buffer {
  const small = Buffer.alloc(width * height * 3)
  for (let y = 0; y < height; y++) for (let x = 0; x < width; x++) for (let c = 0; c < 3; c++) {
    const at = (2 * y * 2 * width + 2 * x) * 3 + c
    small[(y * width + x) * 3 + c] = Math.round((data[at]! + data[at + 3]! + data[at + 6 * width]! + data[at + 6 * width + 3]!) / 4)
  }
  return small
}

/** The third frame of a short moving clip of the picture, as a codec leaves it: predicted from frames before, with their damage. */
async function coded(small: Buffer, size: { width: number, height: number }, inner: { width: number, height: number }, { encoder, quality }: NonNullable<Degradation['codec']>, name: string): Promise<Picture> {
  const directory = await mkdtemp(path.join(tmpdir(), 'hematine-degrade-'))
  try {
    const still = path.join(directory, 'still.png')
    await sharp(small, { raw: { ...size, channels: 3 } }).png({ compressionLevel: 0 }).toFile(still)
    const file = path.join(directory, 'clip.mkv')
    const format = encoder === 'mjpeg' ? 'yuvj420p' : 'yuv420p'
    const range = encoder === 'mjpeg' ? 'pc' : 'tv'
    await writeClip({
      path: file, format: 'matroska', audio: [],
      video: {
        encoder, filters: `movie=${quoteOption(still)},loop=loop=2:size=1,fps=25,trim=end_frame=3,crop=w=${inner.width}:h=${inner.height}:x='2*n':y=${lostEdge},scale=out_range=${range}:out_color_matrix=smpte170m,format=${format},setparams=colorspace=smpte170m:range=${range}`,
        options: encoder === 'libx264' ? { crf: String(quality), preset: 'veryfast', bf: '0' } : { qmin: String(Math.round(quality)), qmax: String(Math.round(quality)) },
      },
    })
    const facts = await readFacts({ kind: 'file', path: file })
    const picture = await plainStill({ kind: 'file', path: file }, facts.video!, 2 / 25)
    return { name, ...picture }
  } finally {
    await rm(directory, { recursive: true, force: true })
  }
}

/** The part of a large picture that a degraded one shows. */
export async function shownPart(large: Picture, small: Picture, scale: 1 | 2): Promise<Buffer> {
  return sharp(large.data, { raw: { width: large.width, height: large.height, channels: 3 } }).extract({ left: lostEdge * scale, top: lostEdge * scale, width: small.width * scale, height: small.height * scale }).raw().toBuffer()
}
