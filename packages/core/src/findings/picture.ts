import type { VideoFacts } from '../facts.ts'
import type { MeasuredPicture, MeasuredWindow } from '../measurement.ts'
import { finding, middle, moment, sureBeyond, type Finding, type FindingPlace } from './finding.ts'
import { leastLines, type PictureKind } from './kind.ts'
import { breaksIn, repeatsIn } from './time.ts'

/** Noise that is worth a word, clear, and heavy, as a standard deviation in 8-bit codes. */
const noiseLimits = [1.6, 3.5, 6] as const
/** Step at the block grid against the steps elsewhere, and in codes: finer steps are measured but not seen. */
const gridLimit = 1.5
const gridStep = 0.11
/** The same for coders that smooth their own blocks: what is left of steps there is hardly seen. */
const smoothedStep = 0.3
const smoothsBlocks = new Set(['h264', 'hevc', 'vvc', 'vp8', 'vp9', 'av1', 'vc1', 'theora'])
const heavyGrid = 2.6
/** The same for fields, whose coding leaves faint steps that nobody sees: more is wanted. */
const fieldGridLimit = 2.2
const fieldGridStep = 0.45
/** Detail that ends below this part of the resolution, in a fall steeper than this many dB. */
const detailLimit = 0.78
const steepFall = 4.5
/** Noise above this hides where detail ends; then only a steeper fall counts. */
const hidingNoise = 3
const steeperFall = 7
/** Change of brightness from frame to frame that is not a trend, in percent of the mean. */
const flickerLimit = 1
/** Change of the mean brightness as a part of the change from frame to frame. */
const flickerTogether = 0.3
/** Motion of the whole picture that does not go on, in pixels for each 720 of width. */
const shakeLimit = 1
const leastFit = 0.55
/** Part of the frames that shake, or flicker, in what shakes or flickers. */
const mostFrames = 0.45
/** Steps of a move that depart by less than this part of its speed are merely uneven. */
const unevenPart = 0.3
const topLimit = 0.012
const illegalLimit = 0.008
/** Distance from neutral that colour reaches even in a faded picture. */
const neutralLimit = 7
/** Coloured parts of the picture larger than this make it no black and white. */
const vividLimit = 0.0005

/** Windows with something to see: not black throughout. */
function visible(picture: MeasuredPicture): MeasuredWindow[] {
  return picture.windows.filter(window => middle(window.high) > 40)
}

/** The windows' stills, the strongest by a figure first, as places. */
function strongest(windows: readonly MeasuredWindow[], figure: (window: MeasuredWindow) => number): FindingPlace[] {
  return [...windows]
    .sort((a, b) => figure(b) - figure(a))
    .slice(0, 4)
    .map(window => moment(window.still?.seconds ?? window.seconds[0]!))
}

function noiseFinding(windows: readonly MeasuredWindow[]): Finding[] {
  const measured = windows.filter(window => typeof window.still?.noise === 'number')
  const noise = middle(measured.map(window => window.still!.noise!))
  if (!(noise > noiseLimits[0])) return []
  const word = noise > noiseLimits[2] ? 'Heavy' : noise > noiseLimits[1] ? 'Clear' : 'Light'
  return [
    finding('noise', 'fault', `${word} noise: ${noise.toFixed(1)} codes of 255 in even parts (standard deviation).`, {
      value: noise,
      unit: 'codes',
      sure: sureBeyond(noise, noiseLimits[0]),
      places: strongest(measured, window => window.still!.noise!),
      suggests: `Denoise, ${word === 'Heavy' ? 'strong' : word === 'Clear' ? 'medium' : 'light'}`,
      data: { weight: word === 'Heavy' ? 'heavy' : word === 'Clear' ? 'clear' : 'light' },
    }),
  ]
}

/** Whether most frames of the windows are woven of two moments. */
function isInFields(windows: readonly MeasuredWindow[]): boolean {
  const letters = windows.map(window => window.scan).join('')
  return letters.replace(/[^tb]/g, '').length * 2 > letters.length
}

/** The same for pictures that were drawn, whose own lines lie on a grid now and then. */
const drawnGridLimit = 2.6
const drawnGridStep = 0.6
/** The same for those on an even ground, of coders that leave their blocks: the ground has none. */
const evenGridLimit = 1.4
const evenGridStep = 0.13

function blockingFinding(codec: string, windows: readonly MeasuredWindow[], kind: PictureKind | null): Finding[] {
  const measured = windows.filter(window => window.still)
  if (measured.length === 0) return []
  const isSmoothed = smoothsBlocks.has(codec)
  const isEven = kind === 'drawn' && hasFewShades(measured)
  const [leastGrid, leastStep] =
    isShownKind(kind) || (isEven && isSmoothed)
      ? [drawnGridLimit, drawnGridStep]
      : isEven
        ? [evenGridLimit, evenGridStep]
        : isInFields(measured)
          ? [fieldGridLimit, fieldGridStep]
          : [gridLimit, isSmoothed ? smoothedStep : gridStep]
  const strength = (window: MeasuredWindow) => Math.sqrt(window.still!.gridX * window.still!.gridY)
  const usual = middle(measured.map(strength))
  const step = middle(
    measured.map(window => Math.sqrt(Math.max(0, window.still!.gridStepX) * Math.max(0, window.still!.gridStepY))),
  )
  if (!(usual > leastGrid && step > leastStep)) return []
  const heavy = usual > heavyGrid
  return [
    finding(
      'blocking',
      'fault',
      `${heavy ? 'Heavy blocking' : 'Blocking'}: steps at an 8-pixel grid are ${usual.toFixed(1)} times those elsewhere, by ${step.toFixed(1)} codes of 255.`,
      {
        value: usual,
        unit: 'times',
        sure: Math.min(sureBeyond(usual, leastGrid), sureBeyond(step, leastStep)),
        places: strongest(measured, strength),
        suggests: heavy ? 'Deblock, strong' : 'Deblock',
        data: { weight: heavy ? 'heavy' : 'clear' },
      },
    ),
  ]
}

/** @param isWoven lines of two moments lie beside each other, which passes for fine detail down the frame: then only the detail across counts */
function softFinding(video: VideoFacts, windows: readonly MeasuredWindow[], isWoven: boolean): Finding[] {
  const measured = windows.filter(window => window.still?.detailX && window.still.detailY)
  if (measured.length === 0) return []
  const [across, down] = (['detailX', 'detailY'] as const).map(name =>
    middle(measured.map(window => window.still![name]!.cutoff)),
  ) as [number, number]
  const fall = middle(
    measured.map(({ still }) =>
      isWoven ? still!.detailX!.fall : Math.min(still!.detailX!.fall, still!.detailY!.fall),
    ),
  )
  const cutoff = isWoven ? across : Math.max(across, down)
  const noise = middle(measured.map(window => window.still!.noise ?? 0))
  if (cutoff > detailLimit || fall < (noise > hidingNoise ? steeperFall : steepFall)) return []
  return [
    finding(
      'soft',
      'fault',
      isWoven
        ? `Soft, or enlarged before: detail ends at ${Math.round(across * 100)} % of the width, as in a picture about ${Math.round(video.width * across)} pixels wide.`
        : `Soft, or enlarged before: detail ends at ${Math.round(across * 100)} % of the width and ${Math.round(down * 100)} % of the height, as in a picture of about ${Math.round(video.width * across)}x${Math.round(video.height * down)}.`,
      {
        value: cutoff * 100,
        unit: '% of the resolution',
        sure: Math.min(0.95, 0.6 + (detailLimit - cutoff)),
        places: strongest(measured, window => window.still!.flat),
        suggests: 'Sharpen lightly, or bring it to its true size before enlarging',
      },
    ),
  ]
}

/** Values with each entry's distance from the mean of its neighbours; entries at or beside a cut are left out. */
function jumps(values: readonly number[], breaks: readonly number[]): number[] {
  const result: number[] = []
  for (let index = 1; index < values.length - 1; index++) {
    if (breaks.some(cut => cut === index || cut === index + 1 || cut === index - 1)) continue
    result.push(values[index]! - (values[index - 1]! + values[index + 1]!) / 2)
  }
  return result
}

function rootMeanSquare(values: readonly number[]): number {
  return values.length === 0 ? 0 : Math.sqrt(values.reduce((sum, value) => sum + value * value, 0) / values.length)
}

function flickerFinding(windows: readonly MeasuredWindow[]): Finding[] {
  const figures = windows
    .filter(window => window.seconds.length >= 8)
    .map(window => {
      const usual = middle(window.mean)
      const departures = jumps(window.mean, breaksIn(window))
      const size = rootMeanSquare(departures)
      const isThroughout =
        departures.filter(value => Math.abs(value) > size / 3).length >= mostFrames * departures.length
      return { window, percent: isThroughout ? (100 * size) / Math.max(16, usual) : 0 }
    })
  const percent = middle(figures.map(figure => figure.percent))
  if (!(percent > flickerLimit)) return []
  // Where the whole picture grows brighter, most of what changes changes one way; things that come and go do not do that.
  const together = middle(
    windows
      .filter(window => window.seconds.length >= 8)
      .map(
        window =>
          rootMeanSquare(window.mean.slice(1).map((value, index) => value - window.mean[index]!)) /
          Math.max(0.01, middle(window.change.slice(1))),
      ),
  )
  if (!(together > flickerTogether)) return []
  return [
    finding('flicker', 'fault', `Brightness jumps by ${percent.toFixed(1)} % from frame to frame.`, {
      value: percent,
      unit: '% of the brightness',
      sure: sureBeyond(percent, flickerLimit),
      places: strongest(windows, window => figures.find(figure => figure.window === window)?.percent ?? 0),
      suggests: 'Even out the flicker',
    }),
  ]
}

/** Shifts below this stand still, in pixels; so many in a window that moves otherwise are repeated frames. */
const standing = 0.35
const standingPart = 0.15

/**
 * Motion of the whole picture to and fro around its trend, in pixels; null when the window tells nothing. Repeated frames, which only look
 * like a halt, are passed over, and a longer step of time counts for as many frames as it spans. What departs from the trend to one side
 * only is a hole in the frames and no shake.
 */
function shakeOf(window: MeasuredWindow, framesPerSecond: number): number | null {
  const repeats = repeatsIn(window)
  let kept = window.seconds.map((_, index) => index).filter(index => index > 0 && !repeats?.[index])
  const length = (index: number) => Math.hypot(window.shiftX[index]!, window.shiftY[index]!)
  const halts = kept.filter(index => length(index) < standing)
  if (
    halts.length > standingPart * kept.length &&
    middle(kept.filter(index => length(index) >= standing).map(length)) > 1
  )
    kept = kept.filter(index => length(index) >= standing)
  const good = kept.filter(index => window.shiftFit[index]! >= leastFit).length
  if (kept.length < 8 || good < kept.length * 0.7) return null
  // Beside a cut, and where parts of the picture move apart, a step says nothing.
  const breaks = [
    ...breaksIn(window).map(cut => kept.indexOf(cut)),
    ...kept.flatMap((index, place) => (window.shiftFit[index]! < leastFit ? [place] : [])),
  ]
  const toAndFro = (shifts: readonly number[]) => {
    const departures = jumps(
      kept.map(
        index =>
          shifts[index]! /
          Math.max(1, Math.round((window.seconds[index]! - window.seconds[index - 1]!) * framesPerSecond)),
      ),
      breaks,
    )
    // What starts and stops now and then is no shake: most frames depart.
    // Uneven steps of a quick move are no shake either.
    const size = rootMeanSquare(departures)
    const speed = Math.abs(middle(kept.map(index => shifts[index]!)))
    if (
      size < unevenPart * speed ||
      departures.filter(value => Math.abs(value) > size / 3).length < mostFrames * departures.length
    )
      return 0
    const side = (sign: number) => rootMeanSquare(departures.map(value => Math.max(0, sign * value)))
    return Math.SQRT2 * Math.min(side(1), side(-1))
  }
  return Math.hypot(toAndFro(window.shiftX), toAndFro(window.shiftY))
}

function shakeFinding(
  video: VideoFacts,
  windows: readonly MeasuredWindow[],
  framesPerSecond: number,
  hasPulldown: boolean,
): Finding[] {
  const figures = windows.flatMap(window => {
    const pixels = shakeOf(window, framesPerSecond)
    return pixels === null ? [] : [{ window, pixels }]
  })
  const pixels = middle(figures.map(figure => figure.pixels))
  // Film in video judders by itself.
  const limit = Math.max(0.4, (shakeLimit * video.width) / 720) * (hasPulldown ? 2 : 1)
  if (!(pixels > limit) || figures.length < windows.length * 0.3) return []
  return [
    finding('shake', 'fault', `The picture shakes by ${pixels.toFixed(1)} pixels from frame to frame.`, {
      value: pixels,
      unit: 'pixels',
      sure: sureBeyond(pixels, limit),
      places: strongest(
        figures.map(figure => figure.window),
        window => figures.find(figure => figure.window === window)!.pixels,
      ),
      suggests: 'Steady the picture',
    }),
  ]
}

function levelFindings(video: VideoFacts, windows: readonly MeasuredWindow[]): Finding[] {
  const found: Finding[] = []
  const clipped = windows.filter(window => middle(window.atTop) > topLimit && middle(window.high) >= 228)
  if (clipped.length > 0 && clipped.length >= windows.length * 0.3) {
    const part = middle(clipped.map(window => middle(window.atTop)))
    found.push(
      finding(
        'clipped-highlights',
        'fault',
        `Highlights are clipped: ${(part * 100).toFixed(1)} % of the picture stands at one brightest level.`,
        {
          value: part * 100,
          unit: '% of the picture',
          sure: sureBeyond(part, topLimit) * 0.9,
          places: strongest(clipped, window => middle(window.atTop)),
        },
      ),
    )
  }
  const illegal = middle(windows.map(window => middle(window.illegal)))
  if (illegal > illegalLimit && !video.isRgb) {
    found.push(
      finding(
        'illegal-levels',
        'fault',
        `${(illegal * 100).toFixed(1)} % of the picture lies outside the levels 16 to 235.`,
        {
          value: illegal * 100,
          unit: '% of the picture',
          sure: sureBeyond(illegal, illegalLimit),
          places: strongest(windows, window => middle(window.illegal)),
          suggests: 'Bring the levels into range, or treat it as full range',
        },
      ),
    )
  }
  return found
}

export const isShownKind = (kind: PictureKind | null) => kind === 'screen' || kind === 'slides'

/** Part of the pixels with one of four shades from which white is paper and black is ground. */
const fewShades = 0.5

export function hasFewShades(windows: readonly MeasuredWindow[]): boolean {
  return middle(windows.flatMap(window => window.still?.peaked ?? [])) >= fewShades
}

/** What single pictures and their succession show of quality. @param hasPulldown whether it is film in video */
export function pictureFindings(
  video: VideoFacts,
  picture: MeasuredPicture,
  hasPulldown: boolean,
  kind: PictureKind | null,
): Finding[] {
  const windows = visible(picture)
  if (windows.length === 0 || picture.height < leastLines) return []
  // A screen has paper white, a board that slides and a cursor that stands: none of it is a fault.
  const isShown = isShownKind(kind)
  // On an even ground things that come and go change the brightness.
  const isEven = kind === 'drawn' && hasFewShades(windows)
  const found = [
    ...blockingFinding(video.codec, windows, kind),
    ...softFinding(video, windows, hasPulldown || isInFields(windows)),
    ...(isShown
      ? []
      : [
          ...noiseFinding(windows),
          ...(isEven ? [] : flickerFinding(windows)),
          ...shakeFinding(video, windows, picture.framesPerSecond, hasPulldown),
        ]),
    ...(isShown ? [] : levelFindings(video, windows)),
  ]
  const colour = Math.max(...windows.map(window => middle(window.saturation)))
  // One red dot on a grey sheet is colour, though the sheet's chroma is neutral.
  const vivid = Math.max(...windows.map(window => middle(window.vivid ?? []) || 0))
  if (colour < neutralLimit && vivid < vividLimit)
    found.push(
      finding('black-and-white', 'nature', 'Black and white.', {
        value: colour,
        unit: 'codes from neutral',
        sure: colour < neutralLimit / 2 ? 0.97 : 0.8,
        places: windows.slice(0, 2).map(window => moment(window.still?.seconds ?? 0)),
      }),
    )
  for (const mark of isShown ? [] : picture.marks.slice(0, 3)) {
    found.push(
      finding(
        'mark',
        'fault',
        `Something stands still throughout, ${mark.width}x${mark.height} pixels at ${mark.x}, ${mark.y}: a burnt-in mark, a timecode, or dirt.`,
        {
          value: mark.width * mark.height,
          unit: 'pixels',
          sure: Math.min(0.9, 0.4 + 0.05 * picture.windows.length),
          places: windows.slice(0, 4).map(window => moment(window.still?.seconds ?? 0, mark)),
          suggests: 'Soften it out of the picture, if it is yours',
        },
      ),
    )
  }
  return found
}
