import type { PictureSpec } from './spec/schema.ts'
import type { SourceFacts } from './facts.ts'

/** Length of one piece of a proxy; a piece is made in a few seconds, whatever the source's length. */
export const proxyPieceSeconds = 20

/** What a proxy is: small and quickly made. It shows what a source is, not how good it looks. */
export const proxySpec: PictureSpec = {
  key: 'proxy',
  name: 'Proxy',
  purpose: 'Plays in a browser while a source is looked over.',
  container: 'mp4',
  video: {
    codec: 'h264',
    profile: 'high',
    level: '4.1',
    pixelFormat: 'yuv420p',
    scan: 'progressive',
    deinterlaceTo: 'frame rate',
    frame: { maxWidth: 768, maxHeight: 576, enlarge: false, squarePixels: true },
    maxFrameRate: { num: 30, den: 1 },
    rateControl: { kind: 'constant quality', value: 25 },
    effort: 'ultrafast',
    keyframeSeconds: 2,
  },
  audio: { codec: 'aac', bitsPerSecondPerChannel: 64_000, maxChannels: 2, sampleRate: 48_000 },
  nameSuffix: '-proxy',
}

const sounds: Record<string, string> = {
  aac: 'mp4a.40.2',
  mp3: 'mp4a.69',
  opus: 'opus',
  vorbis: 'vorbis',
  flac: 'flac',
}
const soundFiles: Record<string, string> = { WAV: 'audio/wav', MP3: 'audio/mpeg', FLAC: 'audio/flac', Ogg: 'audio/ogg' }

/**
 * Media type by which a browser can be asked whether it plays a file itself (RFC 6381), or null when none does.
 * Interlaced pictures are left out: browsers show both fields at once.
 */
export function browserType({
  container,
  video,
  audio,
}: Pick<SourceFacts, 'container' | 'video' | 'audio'>): string | null {
  if (!video) {
    const type = soundFiles[container]
    return type && (container !== 'WAV' || /^pcm_(s16|s24|u8|f32)/.test(audio[0]?.codec ?? '')) ? type : null
  }
  if (video.scan.kind !== 'progressive' || audio.some(track => !sounds[track.codec])) return null
  const tracks = audio.slice(0, 1).map(track => sounds[track.codec]!)
  const type = (kind: string, codec: string) => `video/${kind}; codecs="${[codec, ...tracks].join(', ')}"`
  if (['MP4', 'MOV'].includes(container) && video.codec === 'h264' && video.pixelFormat === 'yuv420p')
    return type('mp4', 'avc1.640028')
  if (container === 'MP4' && video.codec === 'av1') return type('mp4', 'av01.0.08M.08')
  if (container === 'WebM' && ['vp8', 'vp9', 'av1'].includes(video.codec))
    return type('webm', video.codec === 'av1' ? 'av01.0.08M.08' : video.codec)
  return null
}
