import type { Rational } from '../rational.ts'
import { usualNumbering } from './naming.ts'
import type { DeliverySpec, PictureSpec, SoundSpec, SpecSound, SpecTags } from './schema.ts'

/** What results keep of what their sources say of themselves: a title for those who watch, everything for those who keep. */
const titled: SpecTags = { title: 'as the source' }
const everythingSaid: SpecTags = { title: 'as the source', date: true, others: true }

const hdBox = { maxWidth: 1920, maxHeight: 1080 }
const uhdBox = { maxWidth: 4096, maxHeight: 2304 }
const anySize = { maxWidth: 16384, maxHeight: 16384 }

const small: Omit<PictureSpec, 'key' | 'name' | 'container' | 'audio'> = {
  purpose: 'Small files for viewing copies and storage; 10 bit keeps skies and fog free of steps.',
  video: {
    codec: 'hevc',
    profile: 'main10',
    level: null,
    pixelFormat: 'yuv420p10le',
    scan: 'progressive',
    deinterlaceTo: 'field rate',
    frame: { ...uhdBox, enlarge: false, squarePixels: false },
    maxFrameRate: { num: 60, den: 1 },
    rateControl: { kind: 'constant quality', value: 24 },
    effort: 'fast',
    keyframeSeconds: 10,
  },
  nameSuffix: '-small',
}

const openWeb: Omit<PictureSpec, 'key' | 'name' | 'container'> = {
  purpose: 'For web pages, free of licence fees: every current browser plays it.',
  video: {
    codec: 'av1',
    profile: 'main',
    level: null,
    pixelFormat: 'yuv420p10le',
    scan: 'progressive',
    deinterlaceTo: 'frame rate',
    frame: { ...hdBox, enlarge: false, squarePixels: true },
    maxFrameRate: { num: 60, den: 1 },
    rateControl: { kind: 'constant quality', value: 32 },
    effort: '9',
    keyframeSeconds: 5,
  },
  audio: { codec: 'opus', bitsPerSecondPerChannel: 64_000, maxChannels: 2, sampleRate: 48_000 },
  nameSuffix: '-web',
}

/** Pictures that everything shows. */
const screenVideo: Omit<PictureSpec['video'], 'rateControl'> = {
  codec: 'h264',
  profile: 'main',
  level: '4',
  pixelFormat: 'yuv420p',
  scan: 'progressive',
  deinterlaceTo: 'frame rate',
  frame: { ...hdBox, enlarge: false, squarePixels: true },
  maxFrameRate: { num: 30, den: 1 },
  effort: 'fast',
  keyframeSeconds: 2,
}
const forScreens: Pick<PictureSpec, 'container' | 'audio' | 'subtitles' | 'keepsChapters'> = {
  container: 'mp4',
  subtitles: { shown: 'forced' },
  keepsChapters: true,
  audio: { codec: 'aac', bitsPerSecondPerChannel: 64_000, maxChannels: 2, sampleRate: 48_000 },
}

const television: Pick<PictureSpec, 'container' | 'audio'> = {
  container: 'mpg',
  audio: { codec: 'ac3', bitsPerSecondPerChannel: 96_000, maxChannels: 2, sampleRate: 48_000 },
}
/** Main profile at main level, below the rates of discs (ITU-T H.262, table 8-13, allows 15 Mbit/s and a buffer of 1,835,008 bits). */
const televisionVideo = (lines: number, rate: Rational): PictureSpec['video'] => ({
  codec: 'mpeg2video',
  profile: 'main',
  level: 'main',
  pixelFormat: 'yuv420p',
  scan: 'progressive',
  deinterlaceTo: 'frame rate',
  frame: {
    maxWidth: 720,
    maxHeight: lines,
    enlarge: true,
    squarePixels: false,
    exactly: 'padded',
    shownAs: 'nearer',
  },
  maxFrameRate: rate,
  holdsFrameRate: true,
  rateControl: {
    kind: 'average rate',
    bitsPerSecond: 6_000_000,
    peakBitsPerSecond: 8_000_000,
    bufferBits: 1_835_008,
  },
  effort: null,
  keyframeSeconds: 0.5,
})

/** Every value as it is, whatever the source is like. */
const exact: PictureSpec['video'] = {
  codec: 'ffv1',
  profile: 'version 3',
  level: null,
  pixelFormat: null,
  scan: 'as source',
  deinterlaceTo: 'frame rate',
  frame: { ...anySize, enlarge: false, squarePixels: false },
  maxFrameRate: null,
  rateControl: { kind: 'lossless' },
  effort: null,
  keyframeSeconds: null,
}

/** The specs for moving pictures that ship with Hematine. */
export const pictureSpecs: readonly PictureSpec[] = [
  {
    key: 'playback-box',
    name: 'Playback box MP4',
    tags: titled,
    purpose: 'Plays on set-top boxes, televisions and projectors; small pictures are enlarged to full height.',
    container: 'mp4',
    video: {
      codec: 'h264',
      profile: 'high',
      level: '4.1',
      pixelFormat: 'yuv420p',
      scan: 'progressive',
      deinterlaceTo: 'frame rate',
      frame: { ...hdBox, enlarge: true, squarePixels: true },
      maxFrameRate: { num: 30, den: 1 },
      rateControl: { kind: 'constant quality', value: 20 },
      effort: 'veryfast',
      keyframeSeconds: 2,
    },
    audio: { codec: 'aac', bitsPerSecondPerChannel: 80_000, maxChannels: 2, sampleRate: 48_000 },
    subtitles: { shown: 'forced' },
    keepsChapters: true,
    nameSuffix: '-box',
  },
  {
    ...small,
    key: 'small-mp4',
    name: 'Small MP4',
    tags: titled,
    container: 'mp4',
    audio: { codec: 'aac', bitsPerSecondPerChannel: 64_000, maxChannels: 2, sampleRate: 48_000 },
    subtitles: { shown: 'forced' },
    keepsChapters: true,
  },
  {
    ...small,
    key: 'small-mkv',
    name: 'Small MKV',
    tags: titled,
    container: 'mkv',
    audio: { codec: 'opus', bitsPerSecondPerChannel: 56_000, maxChannels: 6, sampleRate: 48_000 },
    subtitles: { shown: 'forced' },
    keepsChapters: true,
  },
  {
    key: 'editing-master',
    name: 'Editing master MOV',
    tags: everythingSaid,
    purpose: 'Opens in editing programs and cuts at any frame; fields and pixel shape stay as they are.',
    container: 'mov',
    video: {
      codec: 'prores',
      profile: '422',
      level: null,
      pixelFormat: 'yuv422p10le',
      scan: 'as source',
      deinterlaceTo: 'frame rate',
      frame: { ...uhdBox, enlarge: false, squarePixels: false },
      maxFrameRate: null,
      rateControl: { kind: 'set by profile' },
      effort: null,
      keyframeSeconds: null,
    },
    audio: { codec: 'pcm_s24le', bitsPerSecondPerChannel: null, maxChannels: 16, sampleRate: 48_000 },
    nameSuffix: '-edit',
  },
  {
    key: 'archive-master',
    name: 'Archive master MKV',
    tags: { ...everythingSaid, cover: true },
    purpose: 'Keeps every picture exactly, with a checksum in each frame; large.',
    container: 'mkv',
    video: exact,
    audio: { codec: 'flac', bitsPerSecondPerChannel: null, maxChannels: 8, sampleRate: 48_000 },
    subtitles: { shown: 'forced' },
    keepsChapters: true,
    nameSuffix: '-archive',
  },
  {
    key: 'untouched-mkv',
    name: 'Untouched MKV',
    tags: { ...everythingSaid, cover: true },
    purpose:
      'Puts picture and sound into MKV as they are, in next to no time; what cannot stay is kept exactly, as FFV1 and FLAC.',
    container: 'mkv',
    video: { copied: 'in any codec', ...exact },
    audio: {
      codec: 'flac',
      bitsPerSecondPerChannel: null,
      maxChannels: 8,
      sampleRate: 48_000,
      copied: 'where it fits',
    },
    subtitles: { shown: 'forced' },
    keepsChapters: true,
    nameSuffix: '-untouched',
  },
  { ...openWeb, key: 'open-web-webm', name: 'Open web WebM', container: 'webm' },
  { ...openWeb, key: 'open-web-mp4', name: 'Open web MP4', container: 'mp4' },
  {
    key: 'editing-mxf',
    name: 'Editing master MXF',
    purpose: 'Opens in editing programs and broadcast equipment, high definition and above; cuts at any frame.',
    container: 'mxf',
    video: {
      codec: 'dnxhd',
      profile: 'hqx',
      level: null,
      pixelFormat: 'yuv422p10le',
      scan: 'progressive',
      deinterlaceTo: 'frame rate',
      frame: { ...uhdBox, enlarge: false, squarePixels: true },
      maxFrameRate: { num: 60, den: 1 },
      rateControl: { kind: 'set by profile' },
      effort: null,
      keyframeSeconds: null,
    },
    audio: { codec: 'pcm_s24le', bitsPerSecondPerChannel: null, maxChannels: 16, sampleRate: 48_000 },
    nameSuffix: '-edit',
  },
  {
    ...television,
    key: 'television-625',
    name: 'Television MPG 625',
    purpose:
      'For disc and television equipment of 625 lines: exactly 720x576 at 25 fps, black where the picture has none.',
    video: televisionVideo(576, { num: 25, den: 1 }),
    nameSuffix: '-tv625',
  },
  {
    ...television,
    key: 'television-525',
    name: 'Television MPG 525',
    purpose:
      'For disc and television equipment of 525 lines: exactly 720x480 at 29.97 fps, black where the picture has none.',
    video: televisionVideo(480, { num: 30_000, den: 1001 }),
    nameSuffix: '-tv525',
  },
  {
    ...forScreens,
    key: 'web-mp4',
    name: 'Web MP4',
    tags: titled,
    purpose: 'For web pages that everything has to show, old phones too; larger than the open web specs.',
    video: { ...screenVideo, rateControl: { kind: 'constant quality', value: 22 } },
    nameSuffix: '-page',
  },
  {
    ...forScreens,
    key: 'mail-mp4',
    name: 'Mail MP4',
    tags: titled,
    purpose: 'Fits into a mail: at most 20 MB with its sound, whatever its length; long items look coarse.',
    video: {
      ...screenVideo,
      frame: { maxWidth: 1280, maxHeight: 720, enlarge: false, squarePixels: true },
      rateControl: { kind: 'size cap', bytes: 20_000_000 },
    },
    nameSuffix: '-mail',
  },
]

const asFile: Pick<
  PictureSpec['video'],
  'level' | 'scan' | 'deinterlaceTo' | 'frame' | 'maxFrameRate' | 'keyframeSeconds'
> = {
  level: null,
  scan: 'progressive',
  deinterlaceTo: 'frame rate',
  frame: { ...anySize, enlarge: false, squarePixels: true },
  maxFrameRate: null,
  keyframeSeconds: null,
}
const besidePictures: SpecSound = {
  codec: 'pcm_s24le',
  bitsPerSecondPerChannel: null,
  maxChannels: 16,
  sampleRate: 48_000,
}

/** The specs for pictures in files of their own that ship with Hematine. */
export const pictureFileSpecs: readonly PictureSpec[] = [
  {
    key: 'frames-png',
    name: 'Frames PNG',
    purpose: 'Every frame as a picture of 16 bits in a folder, the sound beside them; for grading and further work.',
    container: 'images',
    video: {
      ...asFile,
      codec: 'png',
      profile: '16 bit',
      pixelFormat: 'rgb48be',
      rateControl: { kind: 'lossless' },
      effort: '1',
    },
    audio: besidePictures,
    numbering: usualNumbering,
    nameSuffix: '-frames',
  },
  {
    key: 'frames-exr',
    name: 'Frames EXR',
    purpose: 'Every frame in linear light as half floats, the sound beside them; for compositing.',
    container: 'images',
    video: {
      ...asFile,
      codec: 'exr',
      profile: 'half',
      pixelFormat: 'gbrpf32le',
      rateControl: { kind: 'set by profile' },
      effort: null,
    },
    audio: besidePictures,
    numbering: { first: 1001, digits: 4 },
    nameSuffix: '-linear',
  },
  {
    key: 'still-png',
    name: 'Still PNG',
    purpose: 'A still kept exactly, in 8 bits, that opens everywhere.',
    container: 'png',
    video: {
      ...asFile,
      codec: 'png',
      profile: '8 bit',
      pixelFormat: 'rgb24',
      rateControl: { kind: 'lossless' },
      effort: '6',
    },
    audio: null,
    keepsCameraData: true,
    nameSuffix: '-still',
  },
  {
    key: 'still-print',
    name: 'Still TIFF for print',
    purpose: 'A still kept exactly, in 16 bits, at 300 dots per inch.',
    container: 'tif',
    video: {
      ...asFile,
      codec: 'tiff',
      profile: '16 bit',
      pixelFormat: 'rgb48le',
      rateControl: { kind: 'lossless' },
      effort: 'deflate',
    },
    audio: null,
    dotsPerInch: 300,
    nameSuffix: '-print',
  },
  {
    key: 'still-web',
    name: 'Still JPEG for web',
    purpose: 'A small still for pages and mail, at most 2048 pixels at its longer side.',
    container: 'jpg',
    video: {
      ...asFile,
      codec: 'mjpeg',
      profile: '4:2:0',
      pixelFormat: 'yuv420p',
      frame: { maxWidth: 2048, maxHeight: 2048, enlarge: false, squarePixels: true },
      rateControl: { kind: 'constant quality', value: 4 },
      effort: null,
    },
    audio: null,
    nameSuffix: '-web',
  },
]

/** The specs for sound alone that ship with Hematine. */
export const soundSpecs: readonly SoundSpec[] = [
  {
    key: 'sound-wav',
    name: 'Sound WAV',
    tags: everythingSaid,
    purpose: 'One sound track as a file of its own, uncompressed, for cutting and mixing.',
    container: 'wav',
    video: null,
    audio: { codec: 'pcm_s24le', bitsPerSecondPerChannel: null, maxChannels: 16, sampleRate: 48_000 },
    nameSuffix: '-sound',
  },
  {
    key: 'sound-flac',
    name: 'Sound FLAC',
    tags: { ...everythingSaid, cover: true },
    purpose: 'One sound track kept exactly, at its own rate, in less room than WAV takes.',
    container: 'flac',
    video: null,
    audio: { codec: 'flac', bitsPerSecondPerChannel: null, maxChannels: 8, sampleRate: null },
    nameSuffix: '-sound',
  },
  {
    key: 'sound-m4a',
    name: 'Sound M4A',
    tags: { title: 'as the source', date: true, cover: true },
    purpose: 'One sound track for listening, small; browsers play it.',
    container: 'm4a',
    video: null,
    audio: { codec: 'aac', bitsPerSecondPerChannel: 80_000, maxChannels: 2, sampleRate: 48_000 },
    keepsChapters: true,
    nameSuffix: '-sound',
  },
  {
    key: 'sound-archive-mka',
    name: 'Sound archive MKA',
    tags: { ...everythingSaid, cover: true },
    purpose: 'Every sound track kept exactly, in one file, with languages and titles.',
    container: 'mka',
    video: null,
    audio: { codec: 'flac', bitsPerSecondPerChannel: null, maxChannels: 8, sampleRate: null },
    keepsChapters: true,
    nameSuffix: '-sound',
  },
]

/** The delivery specs that ship with Hematine. */
export const builtInSpecs: readonly DeliverySpec[] = [...pictureSpecs, ...pictureFileSpecs, ...soundSpecs]
