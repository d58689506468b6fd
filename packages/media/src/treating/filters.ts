import { readFileSync } from 'node:fs'
import {
  contrastSlope,
  describePixelFormat,
  gradeMatrix,
  pictureCodecs,
  plainTimeline,
  steadySeconds,
  subtitleKind,
  toNumber,
  type AppliedStep,
  type InBetween,
  type Rational,
  type Step,
  type StepOf,
  type Strength,
  type Timeline,
  type PictureTreatment,
  type FullColourDescription,
  type VideoFacts,
} from '@hematine/core'
import { assetPath } from './assets.ts'
import type { BurnPlan } from './burn-stage.ts'
import { font, quoteOption } from './font.ts'
import type { NetworkName } from '../ground/network.ts'
import { planarFormats } from '../ground/frame-planes.ts'

/** Library names of the colour tags that differ from ITU-T H.273's. */
const zscaleNames: Record<string, string> = {
  smpte170m: '170m',
  bt470bg: '470bg',
  bt709: '709',
  bt2020nc: '2020_ncl',
  bt2020: '2020',
  gbr: 'gbr',
}
/** Curves that the filter which states colours calls by what they come from (ITU-R BT.470). */
const statedCurves: Record<string, string> = { gamma22: 'bt470m', gamma28: 'bt470bg' }
/** A filter that states what samples mean. */
const stating = ({ range, primaries, transfer, matrix }: FullColourDescription) =>
  `setparams=range=${range}:color_primaries=${primaries}:color_trc=${statedCurves[transfer] ?? transfer}:colorspace=${matrix}`
const kernels = { lanczos: 'lanczos', spline: 'spline36', bicubic: 'bicubic' }

/** A part of a treatment's work: filters of the library, passes of a learned network, or the picture moved back to its steady place. `steps` are the numbers of the applied steps it does. */
export type StagePlan =
  | { kind: 'filters'; filters: string; steps: number[] }
  | { kind: 'steady'; width: number; height: number; edge: number; steps: number[] }
  /** `deviation`: of the bell that the path is smoothed with, in frames; `lead`: seconds of frames that it reaches back. `shape`: width of a pixel over its height. */
  | { kind: 'steady-ahead'; edge: number; deviation: number; lead: number; shape: number; steps: number[] }
  | { kind: 'repair'; what: 'dust' | 'scratches'; strength: Strength; steps: number[] }
  | { kind: 'learned'; network: NetworkName; passes: number; strength: number; steps: number[] }
  | { kind: 'burn'; plan: BurnPlan; steps: number[] }

/** What of a treatment changes the number of its frames: after the last of them the frames are put on the result's own grid. */
const timeChanging = new Set<Step['kind']>(['trim', 'undo-pulldown', 'drop-repeats', 'speed'])

function changesTime(step: AppliedStep): boolean {
  return (
    step.kind === 'deinterlace' || step.kind === 'rate' || (step.kind === 'chosen' && timeChanging.has(step.step.kind))
  )
}

/**
 * The stages that do a treatment's steps.
 * @param fromStart whether the result is made from its first frame on, which then is anchored at time 0
 * @param each a stage for every step, so that their times can be told apart; otherwise as few as can be
 */
export function planStages(
  treatment: PictureTreatment,
  video: VideoFacts,
  fromStart: boolean,
  each = false,
): StagePlan[] {
  const { result, sourceColour } = treatment
  const stages: StagePlan[] = []
  let isRgb = video.isRgb
  const add = (filters: string[], step: number | null) => {
    const last = stages.at(-1)
    if (filters.length === 0) return
    if (last?.kind === 'filters' && (!each || step === null || last.steps.length === 0)) {
      last.filters += `,${filters.join(',')}`
      if (step !== null) last.steps.push(step)
    } else {
      stages.push({ kind: 'filters', filters: filters.join(','), steps: step === null ? [] : [step] })
    }
  }
  let size = { width: video.width, height: video.height }
  let isWhole = video.isRgb || !isSubsampled(video.pixelFormat)
  // The library that scales and converts takes whole pairs of pixels only where colour is stored for pairs.
  const wholeChroma = () => {
    if (isWhole || (size.width % 2 === 0 && size.height % 2 === 0)) return []
    isWhole = true
    return wholeChromaFilters(size, video)
  }
  const toRgb = () => {
    if (isRgb) return []
    isRgb = true
    return [
      ...wholeChroma(),
      `zscale=min=${zscaleNames[sourceColour.matrix] ?? sourceColour.matrix}:m=gbr:r=full`,
      video.bitDepth > 8 ? 'format=gbrp16le' : 'format=gbrp',
    ]
  }

  add([stating(sourceColour)], null)
  // A clock that only counts frames has no place for the times between them that other speeds and cuts come to.
  if (treatment.timeline) add([`settb=${video.timeBase.num}/${video.timeBase.den * finerClock}`], null)
  const last = treatment.steps.findLastIndex(step => step.kind === 'size')
  const finishes = last >= 0 && !treatment.steps.slice(last + 1).some(step => step.kind !== 'colour')
  // What repeats the last frame until the source's own end is cut off where the result ends.
  const isRetimed =
    treatment.timeline !== undefined ||
    treatment.steps.some(step => step.kind === 'rate' && (step.between ?? 'repeat') !== 'repeat')
  const grid = `fps=fps=${result.rate.num}/${result.rate.den}${fromStart ? ':start_time=0' : ''}${isRetimed ? `,trim=end_pts=${result.frameCount}` : ''}`
  const lastTime = treatment.steps.findLastIndex(changesTime)
  if (lastTime < 0) add([grid], null)
  let grain: { filter: string; step: number } | null = null
  let trim: { filters: string[]; step: number } | null = null
  let highRange: { step: number; white: number } | null = null
  for (const [index, step] of treatment.steps.entries()) {
    if (step.kind === 'deinterlace') {
      const parity = step.firstField === 'top' ? 'tff' : step.firstField === 'bottom' ? 'bff' : 'auto'
      // Frames' own flags lie; each is looked at, and marked by what is seen.
      const only = step.frames === 'combed'
      add(
        [
          ...(only ? ['idet'] : []),
          `bwdif=mode=${step.to === 'field rate' ? 'send_field' : 'send_frame'}:parity=${parity}:deint=${only ? 'interlaced' : 'all'}`,
        ],
        index,
      )
      if (trim) add(trim.filters, trim.step)
      trim = null
    } else if (step.kind === 'rate') {
      add(inBetween(step.to, step.between ?? 'repeat', step.cutThreshold ?? 10), index)
    } else if (step.kind === 'size' && !(finishes && index === last)) {
      add(
        [
          ...wholeChroma(),
          `zscale=w=${step.to.width}:h=${step.to.height}:filter=${kernels[step.kernel ?? 'lanczos']}`,
          `setsar=${step.to.pixelAspect.num}/${step.to.pixelAspect.den}:max=65535`,
        ],
        index,
      )
    } else if (step.kind === 'chosen') {
      const { step: choice } = step
      if (choice.kind === 'learned' || choice.kind === 'clean-up') {
        add([...toRgb(), 'format=rgb24'], null)
        const network = choice.kind === 'clean-up' ? 'clean-up' : (`${choice.network}-${choice.size}` as NetworkName)
        stages.push({
          kind: 'learned',
          network,
          passes: choice.kind === 'learned' ? Math.log2(choice.times) : 1,
          strength: choice.strength / 100,
          steps: [index],
        })
        stages.push({ kind: 'filters', filters: 'format=gbrp', steps: [] })
      } else if (choice.kind === 'steady') {
        const edge = (step.from.width - step.to.width) / 2
        if (choice.method === 'two readings') {
          add([`format=${planarFormats}`], null)
          const rate =
            toNumber(video.frameRate) *
            (treatment.steps.some(other => other.kind === 'deinterlace' && other.to === 'field rate') ? 2 : 1)
          const seconds = steadySeconds[choice.smooth]
          stages.push({
            kind: 'steady-ahead',
            edge,
            deviation: seconds * rate,
            lead: 2 * seconds,
            shape: toNumber(step.from.pixelAspect),
            steps: [index],
          })
        } else {
          stages.push({ kind: 'steady', width: step.to.width, height: step.to.height, edge, steps: [index] })
        }
        stages.push({ kind: 'filters', filters: 'null', steps: [] })
      } else if (choice.kind === 'dust' || choice.kind === 'scratches') {
        add([`format=${planarFormats}`], null)
        stages.push({ kind: 'repair', what: choice.kind, strength: choice.strength, steps: [index] })
        stages.push({ kind: 'filters', filters: 'null', steps: [] })
      } else if (choice.kind === 'burn-subtitles') {
        if (treatment.burnt) {
          if (subtitleKind(treatment.burnt.codec) === 'pictures') add([`format=${planarFormats}`], null)
          stages.push({
            kind: 'burn',
            plan: {
              burnt: treatment.burnt,
              size: choice.size,
              timeline: treatment.timeline ?? plainTimeline,
              shape: toNumber(step.to.pixelAspect),
              light: whiteOfText[sourceColour.transfer] ?? 1,
              coded: codedAs(isRgb, sourceColour),
            },
            steps: [index],
          })
          stages.push({ kind: 'filters', filters: 'null', steps: [] })
        }
      } else if (choice.kind === 'grain') {
        grain = {
          filter: `noise=c0_strength=${{ light: 5, medium: 10, strong: 18 }[choice.strength]}:c0_flags=t`,
          step: index,
        }
      } else if (choice.kind === 'grade') {
        add([...toRgb(), ...gradeFilters(choice)], index)
      } else if (choice.kind === 'lookup-table') {
        add([...toRgb(), lookupFilters(choice, `s${index}`)], index)
      } else if (choice.kind === 'pad' && grain && !isRgb) {
        // Bars stay black.
        add([grain.filter], grain.step)
        grain = null
        add(padFilters(step.to), index)
      } else if (choice.kind === 'high-range') {
        highRange = { step: index, white: choice.white }
      } else if (choice.kind === 'trim') {
        const ranges = treatment.timeline?.ranges ?? []
        const rate = toNumber(video.frameRate)
        // Of a picture that lasts, what a range keeps may begin in its midst.
        if (isSparse(video)) add([`fps=fps=${video.frameRate.num}/${video.frameRate.den}`], null)
        const made = treatment.steps.slice(index + 1).find(later => later.kind === 'deinterlace')
        if (made) {
          // The lines that a field lacks are made of the frames beside it, also where those are trimmed off.
          add([`select='${withinRanges(ranges, besideFields / rate, besideFields / rate)}'`], index)
          trim = { filters: trimFilters(ranges, made.to === 'field rate' ? 2 * rate : rate), step: index }
        } else add(trimFilters(ranges, rate), index)
      } else {
        const around = { isRgb, rate: result.rate, label: `s${index}`, colour: sourceColour }
        add(filtersOf(choice, step.to, around), index)
      }
    }
    if ((step.kind === 'size' && !(finishes && index === last)) || step.kind === 'chosen') size = step.to
    if (index === lastTime) add([grid], null)
  }

  const colour = treatment.steps.findIndex(step => step.kind === 'colour')
  const finish: string[] = []
  const needsMatrix = colour >= 0 || highRange !== null || isRgb !== video.isRgb
  const wanted = describePixelFormat(result.pixelFormat)
  const becomesRgb = wanted.isRgb && !isRgb
  const rgbDepth = video.isRgb ? video.bitDepth : video.bitDepth > 8 ? 16 : 8
  const changesDepth = wanted.isRgb && isRgb && !wanted.hasAlpha && wanted.bitDepth !== rgbDepth
  const changesLight = (sourceColour.transfer === 'linear') !== (result.colour.transfer === 'linear')
  // What is stored with its colours in the middle of pixels is not what films store them beside.
  const centres = result.centredChroma === true && isSubsampled(result.pixelFormat)
  const movesChroma = centres && !hasCentredChroma(video.codec)
  if (grain && becomesRgb) {
    // Grain is of the luma, which is gone after this.
    finish.push(grain.filter)
    grain = null
  }
  if (
    finishes ||
    needsMatrix ||
    becomesRgb ||
    changesDepth ||
    movesChroma ||
    needsConversion(video, result.pixelFormat)
  ) {
    if (video.isRgb && isRgb)
      finish.push(
        `format=${video.bitDepth > 16 || /f(16|32)/.test(video.pixelFormat) ? 'gbrpf32le' : video.bitDepth > 8 ? 'gbrp16le' : 'gbrp'}`,
      )
    finish.push(...wholeChroma())
    const kernel = finishes ? (treatment.steps[last] as Extract<AppliedStep, { kind: 'size' }>).kernel : undefined
    const settings = [`w=${result.frame.width}`, `h=${result.frame.height}`, `filter=${kernels[kernel ?? 'lanczos']}`]
    if (isSubsampled(result.pixelFormat)) settings.push(`c=${centres ? 'center' : 'left'}`)
    if (becomesRgb) settings.push('m=gbr', 'r=full')
    else if (needsMatrix && result.colour.matrix !== 'gbr')
      settings.push(`m=${zscaleNames[result.colour.matrix] ?? result.colour.matrix}`, `r=${result.colour.range}`)
    if (changesLight && !highRange) settings.push(`t=${result.colour.transfer}`, `p=${result.colour.primaries}`)
    // The library takes standard range for what a display of ITU-R BT.1886 shows, and puts its white where it is told.
    if (highRange) settings.push(`t=${result.colour.transfer}`, 'p=2020', `npl=${highRange.white}`)
    const isOdd = isSubsampled(result.pixelFormat) && (result.frame.width % 2 !== 0 || result.frame.height % 2 !== 0)
    if (isOdd) finish.push(...oddFilters(settings, result))
    else finish.push(`zscale=${settings.join(':')}`)
    // Into planes first: between them and packed samples bytes only change places.
    if (wanted.isRgb && !wanted.hasAlpha) finish.push(`format=${planesOf(result.pixelFormat)}`)
    else if (result.pixelFormat in packedOf) finish.push(`format=${packedOf[result.pixelFormat]}`)
  }
  finish.push(`format=${result.pixelFormat}`)
  add(finish, highRange ? highRange.step : finishes ? last : colour >= 0 ? colour : null)
  if (grain) add([grain.filter, `format=${result.pixelFormat}`], grain.step)
  add(
    [
      stating(result.colour),
      `setsar=${result.frame.pixelAspect.num}/${result.frame.pixelAspect.den}:max=65535`,
      `setfield=${result.scan === 'progressive' ? 'prog' : result.scan === 'top field first' ? 'tff' : 'bff'}`,
      // Some filters count in parts of frames.
      `settb=${result.rate.den}/${result.rate.num}`,
    ],
    null,
  )
  return stages
}

/** Packed samples of luma and chroma, and the planes that hold the same. */
const packedOf: Record<string, string> = { uyvy422: 'yuv422p' }

/** The format of planes that holds red, green and blue as a packed one does. */
function planesOf(pixelFormat: string): string {
  if (pixelFormat.startsWith('gbrp')) return pixelFormat
  return describePixelFormat(pixelFormat).bitDepth > 8 ? 'gbrp16le' : 'gbrp'
}

/** Whether colour is stored for groups of pixels. */
function isSubsampled(pixelFormat: string): boolean {
  return /4:(2|1|4):0|4:2:2|4:1:1/.test(describePixelFormat(pixelFormat).chroma)
}

/** Whether a source's colours lie in the middle of the pixels that they are for: those of its codec do, also when others write it. */
const hasCentredChroma = (codec: string): boolean =>
  pictureCodecs.some(entry => entry.key === codec && entry.centresChroma)

/**
 * Filters that bring a picture of odd sides whose colours are stored for groups of pixels to one with a colour for each. The library that knows where such
 * colours lie takes whole groups only, so the last group is filled up first and taken off after.
 */
export function wholeChromaFilters(
  { width, height }: { width: number; height: number },
  { chroma, bitDepth }: Pick<VideoFacts, 'chroma' | 'bitDepth'>,
): string[] {
  const whole = (side: number, group: number) => Math.ceil(side / group) * group
  const across = whole(width, chroma.startsWith('4:1') ? 4 : 2)
  const down = whole(height, chroma === '4:1:0' ? 4 : 2)
  return [
    `pad=w=${across}:h=${down}`,
    'zscale=filter=bicubic',
    `format=${wholeFormat(bitDepth)}`,
    `crop=${width}:${height}:0:0:exact=1`,
  ]
}

/** The last conversion of a result of odd sides whose colours are stored for groups of pixels: the edge is repeated to fill the last group, and taken off after. */
function oddFilters(settings: readonly string[], { frame, pixelFormat }: PictureTreatment['result']): string[] {
  const { width, height } = frame
  const { bitDepth } = describePixelFormat(pixelFormat)
  const [right, bottom] = [width % 2, height % 2]
  return [
    `zscale=${settings.join(':')}`,
    `format=${wholeFormat(bitDepth)}`,
    `pad=w=${width + right}:h=${height + bottom}`,
    `fillborders=right=${right}:bottom=${bottom}:mode=smear`,
    `zscale=filter=bicubic:${settings.find(setting => setting.startsWith('c='))}`,
    `format=${pixelFormat}`,
    `crop=${width}:${height}:0:0:exact=1`,
    'copy',
  ]
}

/** The format with a colour for each pixel that holds so many bits. */
export function wholeFormat(bitDepth: number): string {
  return bitDepth <= 8 ? 'yuv444p' : `yuv444p${bitDepth <= 10 ? 10 : bitDepth <= 12 ? 12 : 16}le`
}

/** Whether a change of pixel format resamples chroma or depth; RGB layouts only shuffle, which the library's plain conversion does without loss. */
function needsConversion(video: VideoFacts, pixelFormat: string): boolean {
  return video.pixelFormat !== pixelFormat && !describePixelFormat(pixelFormat).isRgb && !pixelFormat.startsWith('gray')
}

/** New frames at a rate. The last frame is held a little longer, because the filters that look ahead lose their last ones. */
function inBetween(rate: Rational, way: InBetween, cutThreshold: number): string[] {
  const text = `${rate.num}/${rate.den}`
  switch (way) {
    case 'repeat':
      return []
    case 'blend':
      return [
        'tpad=stop=2:stop_mode=clone',
        `framerate=fps=${text}:scene=${cutThreshold}:interp_start=0:interp_end=255`,
      ]
    case 'motion':
      return [
        'tpad=stop=2:stop_mode=clone',
        `minterpolate=fps=${text}:mi_mode=mci:mc_mode=aobmc:me_mode=bidir:vsbmc=1:scd=fdiff:scd_threshold=${cutThreshold}`,
      ]
  }
}

/** Distance of a mark from the picture's edge, as a part of its height. */
const markMargin = 0.03

/** Black around a picture in the middle, which stands on whole pairs of pixels. */
const padFilters = ({ width, height }: { width: number; height: number }) => [
  `pad=${width}:${height}:x=floor((ow-iw)/4)*2:y=floor((oh-ih)/4)*2`,
]

/** `label` is a name for pads that no other step uses. */
interface Surroundings {
  isRgb: boolean
  rate: Rational
  label: string
  colour: PictureTreatment['sourceColour']
}

/** Whether some pictures of a source are shown for longer than one of its frames. */
function isSparse({ rateIs, slots, frameCount, repeats, gaps }: VideoFacts): boolean {
  return rateIs === 'variable' || (slots ?? 0) > frameCount || (repeats ?? 0) > 0 || (gaps?.count ?? 0) > 0
}

/** The filters of one chosen step of the picture. @param to picture after it */
function filtersOf(
  step: Step,
  to: { width: number; height: number; pixelAspect: Rational },
  { isRgb, rate, label, colour }: Surroundings,
): string[] {
  switch (step.kind) {
    case 'undo-pulldown':
      return ['fieldmatch=combmatch=full', 'bwdif=mode=send_frame:deint=interlaced', 'decimate']
    case 'drop-repeats':
      return [`decimate=cycle=${step.every}`]
    case 'speed':
      return [`setpts=PTS/${step.factor}`, ...inBetween(rate, step.between, step.cutThreshold)]
    // Copied, because the binding cannot read planes that begin inside their memory or run upwards.
    case 'crop':
      return [`crop=${to.width}:${to.height}:${step.left}:${step.top}:exact=1`, 'copy']
    case 'aspect':
      return [`setsar=${to.pixelAspect.num}/${to.pixelAspect.den}:max=65535`]
    case 'rotate':
      return step.degrees === 90
        ? ['transpose=clock']
        : step.degrees === 270
          ? ['transpose=cclock']
          : ['hflip', 'vflip', 'copy']
    case 'flip':
      return [step.way === 'left to right' ? 'hflip' : 'vflip', 'copy']
    case 'pad':
      return padFilters(to)
    // The quantizer is stated, because what the file used is lost by now. The library's own filter named after blocks moves them instead.
    case 'deblock':
      return [`pp7=qp=${step.strength === 'light' ? 4 : 14}`]
    case 'denoise':
      return [
        step.method === 'fast'
          ? `hqdn3d=${{ light: '3:2:4.5:3', medium: '6:4.5:9:7', strong: '14:10:20:15' }[step.strength]}`
          : `nlmeans=s=${{ light: 2, medium: 4, strong: 8 }[step.strength]}:p=5:r=9`,
      ]
    case 'flicker':
      return [`deflicker=size=${step.frames}`]
    case 'deband':
      return [
        `deband=range=16:1thr=${step.strength === 'light' ? 0.012 : step.strength === 'medium' ? 0.02 : 0.035}:2thr=0.015:3thr=0.015`,
      ]
    case 'sharpen':
      return [`cas=strength=${{ light: 0.3, medium: 0.6, strong: 0.9 }[step.strength]}`]
    case 'unblur':
      return [unblurFilters(step, label)]
    case 'dehalo':
      return [dehaloFilters(step, label, isRgb)]
    case 'anti-alias':
      return [antiAliasFilters(step, label)]
    case 'soften-mark':
      return [`delogo=x=${step.x}:y=${step.y}:w=${step.width}:h=${step.height}`]
    case 'black-and-white':
      return [
        isRgb
          ? 'colorchannelmixer=rr=0.2126:rg=0.7152:rb=0.0722:gr=0.2126:gg=0.7152:gb=0.0722:br=0.2126:bg=0.7152:bb=0.0722'
          : 'hue=s=0',
      ]
    case 'text-mark':
      return [textFilter(step)]
    case 'picture-mark':
      return pictureFilters(step, to, { isRgb, label, colour })
    // The others are applied under names of their own, or to the sound.
    default:
      return []
  }
}

/** Frames on either side of a range that making whole frames of its fields looks at. */
const besideFields = 2

/** By how much times are told finer where treatments move them. */
const finerClock = 1000

type Range = NonNullable<Timeline['ranges']>[number]

/** Whether a frame's time lies in one of some ranges. @param before seconds by which each begins earlier @param behind and ends later */
function withinRanges(ranges: readonly Range[], before: number, behind: number): string {
  return ranges.map(({ from, to }) => `gte(t,${from - before})*lt(t,${to + behind})`).join('+')
}

/**
 * Keeps ranges and closes the gaps between them. Frames are taken by their own times, so that it does not matter where decoding began.
 * @param rate of the frames that come, a second
 */
function trimFilters(ranges: readonly Range[], rate: number): string[] {
  // A frame whose time is rounded by the container's clock still belongs to the range that begins with it.
  const slack = 0.25 / rate
  let kept = 0
  let times = ''
  for (const { from, to } of ranges) {
    // Times become whole ticks by cutting off: what lies a hair below one would be the one before.
    times += `if(lt(T,${to - slack}),round(PTS-${from - kept}/TB),`
    kept += to - from
  }
  return [`select='${withinRanges(ranges, slack, -slack)}'`, `setpts='${times}PTS${')'.repeat(ranges.length)}'`]
}

function gradeFilters(step: StepOf<'grade'>): string[] {
  const names = ['r', 'g', 'b']
  const weights = gradeMatrix(step).flatMap((row, to) =>
    row.map((weight, from) => `${names[to]}${names[from]}=${Math.max(-2, Math.min(2, weight)).toFixed(6)}`),
  )
  const slope = contrastSlope(step.contrast)
  const curve = `clip((val-maxval/2)*${slope.toFixed(6)}+maxval/2,0,maxval)`
  return [
    `colorchannelmixer=${weights.join(':')}`,
    ...(slope === 1 ? [] : [`lutrgb=r='${curve}':g='${curve}':b='${curve}'`]),
  ]
}

/** Rounds of undoing a blur by strength: more bring back finer detail, and strengthen noise. */
const unblurRounds = { light: 2, medium: 4, strong: 8 }

/**
 * Undoes a blur of Gaussian shape step by step (van Cittert's iteration): what the picture so far loses when it is blurred again is added
 * to it. In 16 bits, so that the differences are not rounded away.
 */
function unblurFilters({ radius, strength }: StepOf<'unblur'>, label: string): string {
  const rounds = unblurRounds[strength]
  const blurred = Array.from({ length: rounds }, (_, index) => `[${label}y${index + 1}]`).join('')
  const parts = [`format=yuv420p16|yuv422p16|yuv444p16|gbrp16|gray16,split=${rounds + 1}[${label}x0]${blurred}`]
  for (let round = 0; round < rounds; round++) {
    parts.push(
      `[${label}x${round}]split[${label}a${round}][${label}b${round}]`,
      `[${label}b${round}]gblur=sigma=${radius}[${label}g${round}]`,
      `[${label}a${round}][${label}y${round + 1}][${label}g${round}]mix=inputs=3:weights='1 1 -1':scale=1${round < rounds - 1 ? `[${label}x${round + 1}]` : ''}`,
    )
  }
  return parts.join(';')
}

/** Reach of a dehalo in pixels and what overshoot is left, in codes, by strength. */
const dehaloSettings = { light: { reach: 2, left: 6 }, medium: { reach: 2, left: 2 }, strong: { reach: 3, left: 2 } }

/**
 * Takes off what stands over, or under, the picture without its fine lines (a median and its neighbourhood), beside strong edges only:
 * there such lines are halos, elsewhere they are detail. Luma only where there is luma.
 */
function dehaloFilters({ strength }: StepOf<'dehalo'>, label: string, isRgb: boolean): string {
  const { reach, left } = dehaloSettings[strength]
  const planes = isRgb ? 7 : 1
  // An edge counts from a step of 48 codes on.
  const strong = "'clip((val-maxval*48/255)*4,0,maxval)'"
  const curve = isRgb ? `c0=${strong}:c1=${strong}:c2=${strong}` : `c0=${strong}`
  const pad = (name: string) => `[${label}${name}]`
  return [
    `split=4${pad('p')}${pad('q')}${pad('e')}${pad('o')}`,
    `${pad('q')}median=radius=${reach}:planes=${planes},split${pad('m')}${pad('n')}`,
    `${pad('m')}erosion${pad('d')}`,
    `${pad('n')}dilation${pad('u')}`,
    `${pad('p')}${pad('d')}${pad('u')}maskedclamp=undershoot=${left}:overshoot=${left}:planes=${planes}${pad('c')}`,
    `${pad('e')}sobel=planes=${planes}:scale=0.25,lut=${curve},dilation,dilation,gblur=1.5:planes=${planes}${pad('k')}`,
    `${pad('o')}${pad('c')}${pad('k')}maskedmerge=planes=${planes}`,
  ].join(';')
}

/**
 * Smooths stairs: each line is averaged with what the lines beside it say along the direction of the edge, as a deinterlacer works out
 * missing lines; for columns the picture is turned in between.
 */
function antiAliasFilters({ along }: StepOf<'anti-alias'>, label: string): string {
  const lines = (turn: string) =>
    [
      `split=2[${turn}t][${turn}b]`,
      `[${turn}t]setfield=tff,estdif=mode=frame:parity=tff[${turn}v]`,
      `[${turn}b]setfield=bff,estdif=mode=frame:parity=bff[${turn}w]`,
      `[${turn}v][${turn}w]blend=all_mode=average,setfield=prog`,
    ].join(';')
  return along === 'lines'
    ? lines(`${label}l`)
    : `${lines(`${label}l`)},transpose=cclock_flip,${lines(`${label}c`)},transpose=cclock_flip`
}

/** Colours by a table, mixed with those before it where it is not wanted whole. The first line of a kept table tells whether it is a cube or curves. */
function lookupFilters({ asset, strength }: StepOf<'lookup-table'>, label: string): string {
  const file = assetPath(asset!, 'lookup table')
  const table = readFileSync(file, 'latin1').startsWith('LUT_1D_SIZE')
    ? `lut1d=file=${quoteOption(file)}`
    : `lut3d=file=${quoteOption(file)}:interp=tetrahedral`
  return strength === 100
    ? table
    : `split[${label}p][${label}q];[${label}q]${table}[${label}t];[${label}t][${label}p]blend=all_mode=normal:all_opacity=${strength / 100}`
}

/** White of text in pictures of high dynamic range, as a part of the brightest code (ITU-R BT.2408: 203 cd/m², 58 % of PQ, 75 % of HLG). */
const whiteOfText: Record<string, number> = { smpte2084: 0.58, 'arib-std-b67': 0.75 }

/** Filters that bring red, green and blue with opacity to how a picture's colours are coded. */
function codedAs(isRgb: boolean, colour: PictureTreatment['sourceColour']): string {
  return isRgb
    ? 'format=gbrap'
    : `zscale=m=${zscaleNames[colour.matrix] ?? colour.matrix}:r=${colour.range},format=yuva444p`
}

/** A picture laid over: its height is a part of the frame's, its shape is kept also where pixels are not square, its colours are coded as the frame's are. */
function pictureFilters(
  { asset, corner, size, opacity }: StepOf<'picture-mark'>,
  to: { height: number; pixelAspect: Rational },
  { isRgb, label, colour }: Pick<Surroundings, 'isRgb' | 'label' | 'colour'>,
): string[] {
  const height = Math.max(2, Math.round((to.height * size) / 200) * 2)
  const margin = Math.round((to.height * markMargin) / 2) * 2
  const x = corner === 'middle' ? '(W-w)/2' : corner.endsWith('left') ? String(margin) : `W-w-${margin}`
  const y = corner === 'middle' ? '(H-h)/2' : corner.startsWith('top') ? String(margin) : `H-h-${margin}`
  return [
    [
      `format=${isRgb ? 'gbrp' : 'yuv420p|yuv422p|yuv444p|yuv420p10le|yuv422p10le|yuv444p10le'}[${label}p]`,
      `movie=${quoteOption(assetPath(asset!, 'picture'))},format=rgba,colorchannelmixer=aa=${opacity / 100},scale=w='max(2,trunc(iw*${height}/ih/${to.pixelAspect.num}*${to.pixelAspect.den}/2)*2)':h=${height}:flags=area,format=gbrap,${codedAs(isRgb, colour)}[${label}m]`,
      `[${label}p][${label}m]overlay=x=${x}:y=${y}:format=${isRgb ? 'gbrp' : 'auto'}`,
    ].join(';'),
  ]
}

function textFilter(step: StepOf<'text-mark'>): string {
  const margin = `h*${markMargin}`
  const x = step.corner === 'middle' ? '(w-text_w)/2' : step.corner.endsWith('left') ? margin : `w-text_w-${margin}`
  const y = step.corner === 'middle' ? '(h-text_h)/2' : step.corner.startsWith('top') ? margin : `h-text_h-${margin}`
  return `drawtext=fontfile=${quoteOption(font)}:text=${quoteOption(step.text)}:expansion=none:fontcolor=0xE8E6E3:alpha=${step.opacity / 100}:fontsize=h*${step.size / 100}:x=${x}:y=${y}`
}
