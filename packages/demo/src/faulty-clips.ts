import { open, stat, truncate } from 'node:fs/promises'
import path from 'node:path'
import type { FindingKey } from '@hematine/core'
import { drawBackdrop, type BackdropKind } from './backdrops.ts'
import { seeded } from './paint.ts'
import { quoteOption } from '@hematine/media/treating/font'
import { writeClip, type Clip } from './write-clip.ts'

/** Clips with faults in a known amount, for proving what Hematine finds; each is the same for the same seed. */

export interface FaultyClip {
  name: string
  /** What must be found. */
  has: FindingKey[]
  /** What may or may not be found, because a fault put in brings it along or hides it. */
  open: FindingKey[]
  /** Seconds of the cuts. */
  cuts: number[]
}

interface PictureFault {
  has: FindingKey[]
  open?: FindingKey[]
  /** Frames a second that are drawn, when not 25. */
  drawnRate?: string
  /** Filters behind the drawing. */
  filters?: (random: () => number) => string
  /** Added to the place of the backdrop, in pixels. */
  jitter?: (random: () => number) => number
  video?: Partial<Clip['video']>
  format?: string
  ending?: string
  /** What is done to the finished file. */
  harm?: (file: string) => Promise<void>
}

const between = (random: () => number, low: number, high: number) => low + random() * (high - low)

/** Overwrites bytes here and there in the middle of a file. */
async function spoil(file: string): Promise<void> {
  const { size } = await stat(file)
  const handle = await open(file, 'r+')
  for (let part = 1; part < 40; part++)
    await handle.write(Buffer.alloc(48, 0xa5), 0, 48, Math.round(size * 0.1 + (size * 0.8 * part) / 40))
  await handle.close()
}

/** Coded so finely that nothing of it is seen. */
const fineMpeg2: Partial<Clip['video']> = {
  encoder: 'mpeg2video',
  bitRate: 40_000_000,
  interlaced: true,
  keyframeDistance: 12,
  options: { qmin: '1', qmax: '2' },
}

/** How the picture is put together: at most one a clip. */
export const structureFaults: Record<string, PictureFault> = {
  none: { has: [] },
  'top field first': {
    has: ['scan'],
    drawnRate: '50',
    filters: () => 'tinterlace=mode=interleave_top:flags=vlpf,setfield=tff',
    video: fineMpeg2,
    open: ['noise', 'soft'],
  },
  'bottom field first': {
    has: ['scan'],
    drawnRate: '50',
    filters: () => 'tinterlace=mode=interleave_bottom:flags=vlpf,setfield=bff',
    video: fineMpeg2,
    open: ['noise', 'soft'],
  },
  'interlaced, flagged progressive': {
    has: ['scan', 'scan-flag'],
    drawnRate: '50',
    filters: () => 'tinterlace=mode=interleave_top:flags=vlpf,setfield=prog',
    open: ['soft'],
  },
  pulldown: {
    has: ['pulldown'],
    open: ['scan', 'scan-flag', 'repeated-frames'],
    drawnRate: '24000/1001',
    filters: () => 'telecine=pattern=23,setfield=prog',
  },
  borders: {
    has: ['borders'],
    filters: random =>
      `scale=iw-${2 * Math.round(between(random, 6, 24))}:ih-${2 * Math.round(between(random, 6, 40))}:flags=lanczos,pad=640:480:-1:-1:black`,
  },
  'every second frame repeated': { has: ['repeated-frames'], drawnRate: '25/2', filters: () => 'fps=25' },
  'every fifth frame repeated': { has: ['repeated-frames'], drawnRate: '20', filters: () => 'fps=25' },
  'uneven times': {
    has: ['variable-rate'],
    open: ['repeated-frames'],
    filters: () => "select='gt(mod(n,9),0)'",
    ending: 'mkv',
  },
  'black start': {
    has: ['black'],
    filters: random => `drawbox=t=fill:c=black:enable='lt(t,${between(random, 0.7, 1.6).toFixed(2)})'`,
    open: ['cuts'],
  },
  frozen: {
    has: ['frozen', 'sound-length'],
    filters: () => 'loop=loop=40:size=1:start=1,setpts=N/25/TB',
    open: ['cuts'],
  },
}

/** What the picture looks like: at most one a clip. */
export const lookFaults: Record<string, PictureFault> = {
  none: { has: [] },
  noise: {
    has: ['noise'],
    open: ['repeated-frames', 'frozen'],
    filters: random => `noise=c0s=${Math.round(between(random, 9, 26))}:c0f=t:all_seed=${Math.round(random() * 9999)}`,
  },
  'blocking, MPEG-2': {
    has: ['blocking'],
    open: ['noise', 'soft', 'frozen', 'repeated-frames'],
    video: { encoder: 'mpeg2video', keyframeDistance: 12, options: { qmin: '26', qmax: '31' }, bitRate: 300_000 },
  },
  'blocking, MPEG-4': {
    has: ['blocking'],
    open: ['noise', 'soft', 'frozen', 'repeated-frames'],
    video: { encoder: 'mpeg4', keyframeDistance: 50, options: { qmin: '24', qmax: '31' }, bitRate: 200_000 },
    format: 'avi',
    ending: 'avi',
  },
  'enlarged before': {
    has: ['soft'],
    open: ['illegal-levels'],
    filters: random => {
      const part = between(random, 0.33, 0.52)
      return `scale=${Math.round(320 * part) * 2}:${Math.round(240 * part) * 2}:flags=area,scale=640:480:flags=bicubic`
    },
  },
  blurred: { has: ['soft'], filters: random => `gblur=sigma=${between(random, 1.6, 2.6).toFixed(2)}` },
  flicker: {
    has: ['flicker'],
    filters: random =>
      `eq=brightness='${between(random, 0.018, 0.05).toFixed(3)}*sin(n*${between(random, 1.9, 2.9).toFixed(2)})':eval=frame`,
    open: ['repeated-frames', 'frozen', 'cuts'],
  },
  shake: { has: ['shake'], jitter: random => between(random, 3, 7) },
  'clipped highlights': {
    has: ['clipped-highlights'],
    open: ['illegal-levels'],
    filters: () =>
      "normalize=smoothing=50,scale=out_range=tv:out_color_matrix=smpte170m,format=yuv444p,lutyuv=y='min(235,(val-16)*1.35+16)'",
  },
  'levels out of range': {
    has: ['illegal-levels'],
    open: ['clipped-highlights', 'noise'],
    filters: () => "lutyuv=y='clip((val-116)*2.2+116,0,255)'",
  },
  'black and white': { has: ['black-and-white'], filters: () => 'lutyuv=u=128:v=128' },
  mark: {
    has: ['mark'],
    filters: random =>
      `drawbox=x=${random() < 0.5 ? 24 : 500}:y=${random() < 0.5 ? 24 : 420}:w=112:h=34:t=5:c=white@0.9,drawbox=x=${random() < 0.5 ? 250 : 300}:y=430:w=90:h=24:t=4:c=0xE0E0E0`,
  },
  damaged: {
    has: ['decode-errors'],
    open: [
      'noise',
      'soft',
      'blocking',
      'frozen',
      'repeated-frames',
      'cuts',
      'shake',
      'flicker',
      'black',
      'borders',
      'clipped-highlights',
      'illegal-levels',
      'black-and-white',
      'scan',
      'scan-flag',
      'pulldown',
      'mark',
      'variable-rate',
      'cut-short',
      'sound-length',
      'hum',
      'silence',
      'clipped-sound',
      'out-of-phase',
      'silent-channel',
    ],
    video: { encoder: 'mpeg4', bitRate: 3_000_000, keyframeDistance: 12 },
    format: 'avi',
    ending: 'avi',
    harm: spoil,
  },
  'cut short': {
    has: ['cut-short'],
    open: ['cuts', 'sound-length', 'decode-errors', 'black'],
    format: 'mp4',
    ending: 'mp4',
    harm: async file => truncate(file, Math.round((await stat(file)).size * 0.7)),
  },
}

interface SoundFault {
  has: FindingKey[]
  open?: FindingKey[]
  filters: string
  seconds?: (length: number) => number
}

/** What the sound has: one a clip. */
export const soundFaults: Record<string, SoundFault> = {
  none: { has: [], filters: 'anull' },
  'hum of 50 Hz': {
    has: ['hum'],
    filters: `aeval='val(0)+0.012*sin(2*PI*50*t)+0.008*sin(2*PI*100*t)+0.004*sin(2*PI*150*t)|val(1)+0.012*sin(2*PI*50*t)+0.008*sin(2*PI*100*t)'`,
  },
  'hum of 60 Hz': {
    has: ['hum'],
    filters: `aeval='val(0)+0.01*sin(2*PI*60*t)+0.008*sin(2*PI*120*t)|val(1)+0.01*sin(2*PI*60*t)+0.008*sin(2*PI*120*t)'`,
  },
  clipped: { has: ['clipped-sound'], filters: 'volume=16dB,aformat=sample_fmts=s16' },
  'right channel silent': { has: ['silent-channel'], filters: 'pan=stereo|c0=c0|c1=0*c0' },
  'out of phase': { has: ['out-of-phase'], filters: 'pan=stereo|c0=c0|c1=-1*c0' },
  silence: { has: ['silence'], filters: `volume=0:enable='between(t,3,6.2)'` },
  'sound too short': { has: ['sound-length'], filters: 'anull', seconds: length => length - 1.2 },
}

/** Sound as of somebody speaking in a room: bursts of coloured noise and notes, with pauses that are not silent. */
function voice(random: () => number, seconds: number): string {
  const pitch = between(random, 90, 320).toFixed(1)
  const [slow, fast] = [between(random, 0.4, 0.9).toFixed(2), between(random, 2.2, 4.5).toFixed(2)]
  const gate = `(0.5+0.5*sin(2*PI*${slow}*t))*gt(sin(2*PI*${fast}*t),-0.3)`
  return `aevalsrc='(0.16*sin(2*PI*${pitch}*t)+0.09*sin(2*PI*${pitch}*2.02*t)+0.1*(random(0)*2-1))*${gate}+0.004*(random(1)*2-1)|(0.14*sin(2*PI*${pitch}*t+0.4)+0.08*sin(2*PI*${pitch}*2.02*t)+0.1*(random(2)*2-1))*${gate}+0.004*(random(3)*2-1)':s=48000:d=${seconds.toFixed(2)},aformat=channel_layouts=stereo`
}

const [width, height] = [640, 480]

/**
 * Draws and encodes one clip.
 * @param directory where it, and for a while its backdrops, are written
 * @returns its path and what is in it
 */
export async function makeFaultyClip(
  directory: string,
  seed: number,
  kinds: readonly BackdropKind[],
  wish: { structure: string; look: string; sound: string; seconds: number },
): Promise<FaultyClip & { path: string }> {
  const random = seeded(seed)
  const [structure, look, sound] = [structureFaults[wish.structure]!, lookFaults[wish.look]!, soundFaults[wish.sound]!]
  const rate = structure.drawnRate ?? '25'
  const perSecond = rate
    .split('/')
    .reduce((value, part, index) => (index === 0 ? Number(part) : value / Number(part)), 0)
  const scenes = 3
  const sceneSeconds = wish.seconds / scenes
  const parts: string[] = []
  for (let scene = 0; scene < scenes; scene++) {
    const file = path.join(directory, `backdrop-${seed}-${scene}.png`)
    const kind = kinds[Math.floor(random() * kinds.length)]!
    await drawBackdrop(file, kind, seed * 10 + scene, width + 420, height + 260)
    // Whole pixels a frame, so that the drawing itself moves evenly; whole frames even of field pairs.
    const forward = random() < 0.5
    const step = (perSecond >= 40 ? 1 : 2) * (forward ? 1 : -1)
    const [x0, y0] = [forward ? -400 : -20, -120 - Math.round(random() * 10)]
    const down = random() < 0.5 ? 0 : random() < 0.5 ? 1 : -1
    const shaken = look.jitter ? look.jitter(random) : 0
    const wander = (seedPart: number) => (shaken > 0 ? `+${shaken.toFixed(2)}*(2*random(${seedPart})-1)` : '')
    parts.push(
      `color=c=gray:s=${width}x${height}:r=${rate}:d=${sceneSeconds.toFixed(4)},format=yuv444p,setparams=range=tv:colorspace=smpte170m[c${scene}]`,
      `movie=${quoteOption(file)},scale=out_range=tv:out_color_matrix=smpte170m,format=yuv444p[b${scene}]`,
      `[c${scene}][b${scene}]overlay=format=yuv444:x='${x0}+${step}*n${wander(0)}':y='${y0}+clip(${down}*n,-110,110)${wander(1)}':eval=frame[o${scene}]`,
      `color=c=0x${Math.round(between(random, 40, 200))
        .toString(16)
        .padStart(2, '0')
        .repeat(2)}50:s=64x48:r=${rate}:d=${sceneSeconds.toFixed(4)},format=yuv444p[k${scene}]`,
      `[o${scene}][k${scene}]overlay=format=yuv444:x='mod(${Math.round(random() * 500)}+3*n,700)-60':y=${Math.round(between(random, 60, 360))}:eval=frame[s${scene}]`,
    )
  }
  const finish = [
    ...[look, structure].flatMap(fault => (fault.filters ? [fault.filters(random)] : [])),
    'format=yuv420p',
    'setsar=1',
  ].join(',')
  const inputs = Array.from({ length: scenes }, (_, scene) => `[s${scene}]`).join('')
  const [ending, format] = [look.ending ?? structure.ending ?? 'mkv', look.format ?? 'matroska']
  const file = path.join(directory, `clip-${seed}.${ending}`)
  await writeClip({
    path: file,
    format,
    ...(format === 'mp4' ? { formatOptions: { movflags: '+faststart' } } : {}),
    video: {
      encoder: 'libx264',
      filters: `${parts.join(';')};${inputs}concat=n=${scenes}:v=1:a=0,${finish}`,
      ...(look.video ?? structure.video ?? { keyframeDistance: 48, options: { preset: 'veryfast', crf: '10' } }),
    },
    audio: [
      {
        encoder: 'pcm_s16le',
        filters: `${voice(random, sound.seconds?.(wish.seconds) ?? wish.seconds)},${sound.filters},aformat=sample_fmts=s16`,
        ...(format === 'mp4' ? { encoder: 'flac', options: { strict: '-2' } } : {}),
      },
    ],
  })
  await look.harm?.(file)
  return {
    path: file,
    name: [wish.structure, wish.look, wish.sound].filter(part => part !== 'none').join(' + ') || 'no fault',
    has: [...structure.has, ...look.has, ...sound.has],
    open: [...(structure.open ?? []), ...(look.open ?? []), ...(sound.open ?? [])],
    cuts: Array.from({ length: scenes - 1 }, (_, scene) => sceneSeconds * (scene + 1)),
  }
}
