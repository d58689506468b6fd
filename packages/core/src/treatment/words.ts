import { describeLanguage } from '../languages.ts'
import { describeColourTag } from '../colour.ts'
import { describePixelFormat, type VideoFacts } from '../facts.ts'
import { describeAspect, displayAspect } from '../geometry.ts'
import { describeRate } from '../timing.ts'
import type { AppliedStep, Treatment } from './treatment.ts'
import { stepKinds, type InBetween, type Step } from './step.ts'

const kernelNames = { lanczos: 'Lanczos', spline: 'spline', bicubic: 'bicubic' }

/** An applied step as a technician would say it. */
export function describeStep(step: AppliedStep): string {
  switch (step.kind) {
    case 'deinterlace':
      return `Deinterlace to ${step.to === 'field rate' ? 'one frame a field' : 'one frame a frame'}, ${step.firstField === 'by frame' ? 'field order as each frame says' : `${step.firstField} field first`}${step.frames === 'combed' ? ', combed frames only' : ''}`
    case 'rate':
      return `Bring the rate to ${describeRate(step.to)} fps${step.between ? `, ${betweenWords[step.between]}` : ''}`
    case 'size':
      return `Scale ${step.from.width}x${step.from.height} to ${step.to.width}x${step.to.height} (${kernelNames[step.kernel ?? 'lanczos']})`
    case 'colour':
      return `Colour from ${describeColourTag(step.from.matrix)} to ${describeColourTag(step.to.matrix)}`
    case 'chosen':
      return describeChoice(step.step)
  }
}

/** Everything that a treatment does to picture and sound, in working order, with the reason of each. */
export function describeTreatment(treatment: Treatment): { what: string; why: string }[] {
  const time = treatment.result === null ? treatment.timeline : undefined
  return [
    ...treatment.steps.map(step => ({ what: describeStep(step), why: step.why })),
    ...(time?.ranges ? [{ what: describeChoice({ kind: 'trim', ranges: time.ranges }), why: 'Chosen.' }] : []),
    ...(time && time.speed !== 1
      ? [{ what: `Speed, ${Math.round(time.speed * 100)} %, at its own pitch`, why: 'Chosen.' }]
      : []),
    ...(treatment.sound ?? []).map(step => ({ what: describeChoice(step), why: 'Chosen.' })),
  ]
}

const betweenWords: Record<InBetween, string> = {
  repeat: 'frames repeated or dropped',
  blend: 'new frames blended',
  motion: 'new frames along the motion',
}
const signed = (value: number, unit: string) => `${value > 0 ? '+' : ''}${value}${unit}`

const ofTrack = ({ track }: { track?: number | undefined }) => (track === undefined ? '' : `, track ${track + 1}`)

/** A chosen step with its settings: "Denoise, fast, medium". */
export function describeChoice(step: Step): string {
  const { name } = stepKinds[step.kind]
  const settings = settingsOf(step)
  return settings === '' ? name : `${name}, ${settings}`
}

function settingsOf(step: Step): string {
  switch (step.kind) {
    case 'trim':
      return `keep ${step.ranges.map(({ from, to }) => `${from}-${to} s`).join(', ')}`
    case 'deinterlace':
      return `${step.to === 'field rate' ? 'one frame a field' : 'one frame a frame'}${step.firstField === 'as found' ? '' : `, ${step.firstField} field first`}`
    case 'drop-repeats':
      return `one of ${step.every}`
    case 'speed':
      return `${Math.round(step.factor * 100)} %, ${betweenWords[step.between]}`
    case 'more-frames':
      return `${step.times}x, ${betweenWords[step.between]}`
    case 'rate':
      return `${describeRate(step.to)} fps, ${betweenWords[step.between]}`
    case 'crop':
      return `left ${step.left}, top ${step.top}, right ${step.right}, bottom ${step.bottom}`
    case 'aspect':
      return describeAspect(step.display)
    case 'rotate':
      return `${step.degrees} degrees`
    case 'flip':
      return step.way
    case 'steady':
      return `${step.method === 'two readings' ? `two readings, ${step.smooth}, ` : ''}loses ${step.edge} pixels at each edge`
    case 'scale':
      return `${step.to.by === 'factor' ? `${step.to.factor}x` : `into ${step.to.width}x${step.to.height}`}, ${kernelNames[step.kernel]}`
    case 'pad':
      return `to ${step.to.width}x${step.to.height}`
    case 'deblock':
    case 'deband':
    case 'sharpen':
    case 'grain':
    case 'sound-denoise':
    case 'dehalo':
    case 'dust':
    case 'scratches':
    case 'speech':
      return step.strength
    case 'unblur':
      return `${step.radius} px, ${step.strength}`
    case 'anti-alias':
      return step.along
    case 'clean-up':
      return `${step.strength} %`
    case 'denoise':
      return `${step.method}, ${step.strength}`
    case 'flicker':
      return `over ${step.frames} frames`
    case 'soften-mark':
      return `${step.width}x${step.height} at ${step.x}, ${step.y}`
    case 'learned':
      return `${step.times}x, ${step.network}, ${step.size}${step.strength === 100 ? '' : `, ${step.strength} %`}`
    case 'grade': {
      const parts = [
        step.exposure && `exposure ${signed(step.exposure, ' stops')}`,
        step.contrast && `contrast ${signed(step.contrast, ' %')}`,
        step.saturation && `saturation ${signed(step.saturation, ' %')}`,
        step.warmth && `warmth ${signed(step.warmth, '')}`,
        step.tint && `tint ${signed(step.tint, '')}`,
      ]
      return parts.filter(part => part !== 0).join(', ')
    }
    case 'lookup-table':
      return `${step.asset?.name ?? 'none chosen'}${step.strength === 100 ? '' : `, ${step.strength} %`}`
    case 'high-range':
      return `${step.transfer}, white at ${step.white} cd/m²`
    case 'picture-mark':
      return `${step.asset?.name ?? 'none chosen'}, ${step.corner}`
    case 'burn-subtitles':
      return [
        step.language === '' ? 'the first track' : describeLanguage(step.language),
        ...(step.which === 'forced' ? ['only what must be shown'] : []),
      ].join(', ')
    case 'text-mark':
      return `"${step.text}", ${step.corner}`
    case 'keep-tracks':
      return step.tracks.length === 0 ? 'none' : step.tracks.map(track => track + 1).join(', ')
    case 'sound-hum':
      return `${step.hertz} Hz and its multiples${ofTrack(step)}`
    case 'channels':
      return `${step.make}${ofTrack(step)}`
    case 'sound-delay':
      return `${signed(step.milliseconds, ' ms')}`
    case 'loudness':
      return `to ${step.target} LUFS`
    case 'undo-pulldown':
    case 'black-and-white':
      return ''
  }
}

/** What comes out of a treatment: "1920x1080 16:9, 25 fps progressive, 10 bit 4:2:0, BT.709", or "sound alone, track 1". */
export function describeTreatmentResult(treatment: Treatment): string {
  const { result } = treatment
  if (result === null)
    return `sound alone, ${treatment.tracks.length === 1 ? 'track' : 'tracks'} ${treatment.tracks.map(track => track + 1).join(', ')}`
  const { bitDepth, chroma } = describePixelFormat(result.pixelFormat)
  // Of red, green and blue the curve tells more than that there is no matrix.
  const tag = result.colour.matrix === 'gbr' ? result.colour.transfer : result.colour.matrix
  // A still has no rate.
  const motion = result.frameCount === 1 ? '' : `, ${describeRate(result.rate)} fps ${result.scan}`
  return `${result.frame.width}x${result.frame.height} ${describeAspect(displayAspect(result.frame))}${motion}, ${bitDepth} bit ${chroma}, ${describeColourTag(tag)}`
}

/** "interlaced, top field first", "progressive", "mixed". */
export function describeScan(video: Pick<VideoFacts, 'scan'>): string {
  const { kind, firstField } = video.scan
  if (kind === 'progressive') return 'progressive'
  const order = firstField === null ? '' : `, ${firstField} field first`
  return kind === 'mixed' ? `partly interlaced${order}` : `interlaced${order}`
}

/**
 * The format in which FFV1 keeps a decoded picture without loss: its own where FFV1 has it, otherwise the nearest one
 * that holds all its values (RGB of 8 bits as packed BGR, of more bits as planes; full-range YUV formats under their common name).
 */
export function losslessPixelFormat(source: string): string {
  const planar: Record<string, string> = {
    rgb24: 'bgr0',
    bgr24: 'bgr0',
    pal8: 'bgra',
    rgb0: 'bgr0',
    '0rgb': 'bgr0',
    gbrp: 'bgr0',
    gbrap: 'bgra',
    rgba: 'bgra',
    argb: 'bgra',
    abgr: 'bgra',
    rgb48le: 'gbrp16le',
    rgb48be: 'gbrp16le',
    bgr48le: 'gbrp16le',
    bgr48be: 'gbrp16le',
    rgba64le: 'gbrap16le',
    rgba64be: 'gbrap16le',
    bgra64le: 'gbrap16le',
    bgra64be: 'gbrap16le',
    rgb555le: 'bgr0',
    rgb555be: 'bgr0',
    rgb565le: 'bgr0',
    rgb565be: 'bgr0',
    bgr555le: 'bgr0',
    bgr565le: 'bgr0',
    rgb444le: 'bgr0',
    bgr444le: 'bgr0',
    rgb8: 'bgr0',
    bgr8: 'bgr0',
    rgb4_byte: 'bgr0',
    bgr4_byte: 'bgr0',
    bgr0: 'bgr0',
    '0bgr': 'bgr0',
    x2rgb10le: 'gbrp10le',
    x2bgr10le: 'gbrp10le',
    gbrp10be: 'gbrp10le',
    gbrp12be: 'gbrp12le',
    p010le: 'yuv420p10le',
    p016le: 'yuv420p16le',
    p210le: 'yuv422p10le',
    y210le: 'yuv422p10le',
    nv16: 'yuv422p',
    nv24: 'yuv444p',
    nv21: 'yuv420p',
    gray16be: 'gray16le',
    monob: 'gray',
    monow: 'gray',
    uyvy422: 'yuv422p',
    yuyv422: 'yuv422p',
    nv12: 'yuv420p',
    yuvj420p: 'yuv420p',
    yuvj422p: 'yuv422p',
    yuvj444p: 'yuv444p',
  }
  return planar[source] ?? source
}
