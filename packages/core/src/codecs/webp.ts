import type { FrameSize } from '../geometry.ts'
import { asShown, pictureFile, type PictureCodec } from './picture-codec.ts'

/** A chunk: four letters, its length with the lowest byte first, and its bytes, filled up to an even number (RFC 9649, 2.3). */
function chunk(name: string, bytes: Uint8Array): Uint8Array {
  const result = new Uint8Array(8 + bytes.length + (bytes.length % 2))
  result.set(new TextEncoder().encode(name))
  new DataView(result.buffer).setUint32(4, bytes.length, true)
  result.set(bytes, 8)
  return result
}

/** Puts a profile into a file of one picture, which takes a head that tells what else there is (RFC 9649, 2.7.1). */
function withProfile(file: Uint8Array, profile: Uint8Array, { width, height }: FrameSize): Uint8Array {
  const picture = file.subarray(12)
  if (String.fromCharCode(...picture.subarray(0, 4)) !== 'VP8 ') return file
  const hasProfile = 0x20
  const sides = [width - 1, height - 1].flatMap(side => [side & 0xff, (side >> 8) & 0xff, side >> 16])
  const parts = [chunk('VP8X', Uint8Array.from([hasProfile, 0, 0, 0, ...sides])), chunk('ICCP', profile), picture]
  const length = 4 + parts.reduce((sum, part) => sum + part.length, 0)
  const result = new Uint8Array(8 + length)
  result.set(new TextEncoder().encode('RIFF'))
  new DataView(result.buffer).setUint32(4, length, true)
  result.set(new TextEncoder().encode('WEBP'), 8)
  let at = 12
  for (const part of parts) {
    result.set(part, at)
    at += part.length
  }
  return result
}

/** RFC 9649; its lossy pictures are those of VP8 (RFC 6386), in BT.601. Its own scale runs the other way, from 100 (best). */
export const webp: PictureCodec = {
  ...pictureFile,
  key: 'webp',
  name: 'WebP',
  says: 'Smaller than JPEG; for web pages.',
  encoder: 'libwebp',
  profiles: [],
  pixelFormats: ['yuv420p'],
  rates: ['constant quality'],
  quality: { best: 0, worst: 60, usual: 15, step: 1 },
  efforts: [
    { value: '2', says: 'quick' },
    { value: '4', says: 'balanced' },
    { value: '6', says: 'thorough' },
  ],
  centresChroma: true,
  remarks: ['colour profile'],
  finish: (file, { profile, frame }) => (profile === null ? file : withProfile(file, profile, frame)),
  colourOf: source => ({ ...asShown(source), range: 'limited', matrix: 'bt470bg' }),
  settings: ({ rateControl, effort }) => ({
    options: {
      lossless: '0',
      compression_level: effort ?? '4',
      ...(rateControl.kind === 'constant quality' ? { quality: String(100 - rateControl.value) } : {}),
    },
  }),
}
