import path from 'node:path'
import type { PlainInput } from '../ground/media-input.ts'

const containerNames: [RegExp, string][] = [
  [/^mov,mp4/, 'MP4'],
  [/^matroska,webm/, 'MKV'],
  [/^avi$/, 'AVI'],
  [/^mpeg$/, 'MPEG program stream'],
  [/^mpegts$/, 'MPEG transport stream'],
  [/^dv$/, 'DV'],
  [/^image2|_pipe$/, 'pictures'],
  [/^asf$/, 'ASF'],
  [/^rm$/, 'RealMedia'],
  [/^flv$/, 'FLV'],
  [/^mxf/, 'MXF'],
  [/^ogg$/, 'Ogg'],
  [/^wav$/, 'WAV'],
  [/^mp3$/, 'MP3'],
  [/^flac$/, 'FLAC'],
]

/** A container's name in the trade; MP4 and MOV, MKV and WebM share a reader and are told apart by the file's ending. */
export function containerOf(reader: string, input: PlainInput): string {
  if (input.kind === 'sequence') return 'pictures'
  if (input.kind === 'title') return 'DVD title'
  const ending = path.extname(input.path).slice(1).toUpperCase()
  const name = containerNames.find(([pattern]) => pattern.test(reader))?.[1] ?? reader
  // One reader serves several containers, which the ending tells apart.
  if (name === 'MP4') return ending === 'AVIF' ? 'pictures' : ending === 'MOV' || ending === 'M4A' ? ending : name
  return name !== 'MKV' ? name : ending === 'WEBM' ? 'WebM' : ending === 'MKA' ? ending : name
}
