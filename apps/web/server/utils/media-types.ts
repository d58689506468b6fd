import type { Container } from '@hematine/core'

/** Media types of results by their container (IANA's names where there are any). */
export const mediaTypes: Record<Container, string> = {
  mp4: 'video/mp4',
  mov: 'video/quicktime',
  mkv: 'video/matroska',
  webm: 'video/webm',
  wav: 'audio/wav',
  flac: 'audio/flac',
  m4a: 'audio/mp4',
  ts: 'video/mp2t',
  mpg: 'video/mpeg',
  mka: 'audio/matroska',
  // A folder, which is not sent.
  images: 'application/octet-stream',
  png: 'image/png',
  jpg: 'image/jpeg',
  tif: 'image/tiff',
  mxf: 'application/mxf',
  avi: 'video/x-msvideo',
  webp: 'image/webp',
  jxl: 'image/jxl',
  avif: 'image/avif',
  exr: 'image/x-exr',
  dpx: 'image/x-dpx',
}

/** Of files beside results, by their endings; others have no type of their own. */
export const besideTypes: Record<string, string> = {
  jpg: 'image/jpeg',
  srt: 'application/x-subrip',
  vtt: 'text/vtt',
  idx: 'text/plain; charset=utf-8',
}
