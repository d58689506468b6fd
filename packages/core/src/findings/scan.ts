import type { VideoFacts } from '../facts.ts'
import type { MeasuredPicture, MeasuredWindow } from '../measurement.ts'
import { finding, middle, moment, type Finding, type FindingPlace } from './finding.ts'
import type { PictureKind } from './kind.ts'

/** Frames that must have been judged before anything is said. */
const fewestJudged = 10
/** Part of a window's judged frames that are combed, above which it counts as combed, and below which as whole. */
const combedWindow = 0.7
const wholeWindow = 0.25
/** Part of the windows of either kind that make the scan a mixed one. */
const mixedPart = 0.25
/** Part of the windows with combing in which the cadence must show. */
const cadenceWindows = 0.6

/** Fewest lines of a picture in fields. */
export const leastFieldLines = 400
/** Fields of two moments differ by motion: below this change from frame to frame, in codes, combing is something else. */
const combingMotion = 0.12
/** Part of a window's combed frames that must agree on the order of their fields. */
const agreeingOrder = 0.75

/** How much lines stand out from their neighbours in pictures woven of two moments, at least; whole ones stay below. */
const leastComb = 0.48
/** Part of the change that is one of brightness in a fade, which looks woven and is not. */
const fadingPart = 0.7

/** Whether a window's combing is that of fields: something moves, the picture does not merely fade, and its frames agree which field is first. */
export function isBorneOut({ scan, change, mean, comb }: MeasuredWindow): boolean {
  const [top, bottom] = [scan.split('t').length - 1, scan.split('b').length - 1]
  if (top + bottom === 0) return true
  // Of film in video only some frames are woven.
  const standsOut = comb ? [...comb].sort((a, b) => a - b)[Math.floor(comb.length * 0.85)]! : leastComb
  if (standsOut < leastComb) return false
  const moved = middle(change.slice(1))
  const brightened = middle(mean.slice(1).map((value, index) => Math.abs(value - mean[index]!)))
  return (
    moved >= combingMotion && brightened < fadingPart * moved && Math.max(top, bottom) >= agreeingOrder * (top + bottom)
  )
}

const isCombed = (letter: string) => letter === 't' || letter === 'b'

/** Change of the frame with the repeated field against the others, and of the second lowest of five against them. */
const repeatedField = 0.55
const wholeFields = 0.45
const leastMotion = 0.12

/**
 * Whether a window is film in video: four film frames last five video frames, and each of the four that are not in step shares fields with a
 * neighbour, which idet sees as combing. Every fifth time a field is shown again, so that the (top) field that changes are measured on
 * hardly changes there.
 */
function hasThreeTwo({ scan, change }: MeasuredWindow): boolean {
  const judged = [...scan].filter(letter => letter !== 'u')
  if (judged.length < 8 || judged.filter(isCombed).length < judged.length * 0.5) return false
  // Means, so that slow motion, of which some frames show nothing, evens out; a cut counts as much motion and no more.
  const most = 3 * middle(change.slice(1))
  const phases = [0, 1, 2, 3, 4].map(phase => {
    const values = change.filter((_, index) => index > 0 && index % 5 === phase).map(value => Math.min(value, most))
    return values.reduce((sum, value) => sum + value, 0) / values.length
  })
  const sorted = [...phases].sort((a, b) => a - b) as [number, number, number, number, number]
  const usual = middle(sorted.slice(1))
  return usual > leastMotion && sorted[0] < repeatedField * usual && sorted[1] > wholeFields * usual
}

function firstPlaces(windows: readonly MeasuredWindow[], letters: string): FindingPlace[] {
  return windows.flatMap(window => {
    const index = [...window.scan].findIndex(letter => letters.includes(letter))
    return index < 0 ? [] : [moment(window.seconds[index]!)]
  })
}

/** How the picture was scanned, as its fields show it, and whether the file says the same. */
export function scanFindings(video: VideoFacts, picture: MeasuredPicture, kind: PictureKind | null): Finding[] {
  const flagged = video.scan.kind !== 'progressive'
  // Nobody scans a screen in fields, nor a picture of so few lines, unless the file says so.
  const canBeFields = flagged || (video.height >= leastFieldLines && kind !== 'screen' && kind !== 'slides')
  const windows = picture.windows.map(window =>
    canBeFields && isBorneOut(window) ? window : { ...window, scan: window.scan.replace(/[tb]/g, 'u') },
  )
  const letters = windows.map(window => window.scan).join('')
  const count = (letter: string) => letters.split(letter).length - 1
  const [top, bottom, whole] = [count('t'), count('b'), count('p')]
  const judged = top + bottom + whole
  if (judged < fewestJudged) return []
  const combed = (top + bottom) / judged
  const flag = video.scan
  const flagSays =
    flag.kind === 'progressive'
      ? 'progressive'
      : flag.kind === 'mixed'
        ? 'partly interlaced'
        : `interlaced, ${flag.firstField} field first`

  const withCombing = windows.filter(window => [...window.scan].filter(isCombed).length >= 3)
  const cadenced = withCombing.filter(hasThreeTwo)
  if (cadenced.length >= Math.max(1, cadenceWindows * withCombing.length)) {
    const sure = 0.6 + 0.38 * (cadenced.length / withCombing.length)
    return [
      finding(
        'pulldown',
        'nature',
        `Film at four fifths of the rate: two of five frames are woven from two film frames, and every fifth shows a field again (3:2 pulldown); seen in ${cadenced.length} of ${withCombing.length} windows with motion.`,
        {
          sure,
          places: firstPlaces(cadenced, 'tb'),
          suggests: 'Undo the pulldown',
        },
      ),
    ]
  }
  const parts = windows.flatMap(window => {
    const letters = [...window.scan].filter(letter => letter !== 'u')
    return letters.length < 5 ? [] : [letters.filter(isCombed).length / letters.length]
  })
  const share = (met: (part: number) => boolean) => parts.filter(met).length / Math.max(1, parts.length)
  const isMixed = share(part => part >= combedWindow) >= mixedPart && share(part => part <= wholeWindow) >= mixedPart
  if (!isMixed && combed < 0.5) {
    const found = [
      finding('scan', 'nature', 'Progressive: every frame shows one moment.', {
        value: combed * 100,
        unit: '% of frames combed',
        sure: Math.max(0.5, Math.min(0.98, whole / judged)),
        places: firstPlaces(windows, 'p').slice(0, 1),
        data: { scan: 'progressive', firstField: null },
      }),
    ]
    if (flag.kind === 'interlaced')
      found.push(
        finding(
          'scan-flag',
          'fault',
          `The file says ${flagSays}, but its frames are whole (2:2, progressive frames sent as fields).`,
          {
            sure: whole / judged,
            places: firstPlaces(windows, 'p'),
            suggests: 'Treat it as progressive: leave deinterlacing out',
            data: { scan: 'progressive', firstField: null },
          },
        ),
      )
    return found
  }
  const first = top >= bottom ? 'top' : 'bottom'
  const agreeing = (Math.max(top, bottom) / (top + bottom)) * Math.min(1, combed / 0.9)
  const places = firstPlaces(windows, first === 'top' ? 't' : 'b')
  if (isMixed) {
    return [
      finding('scan', 'fault', `Mixed: ${Math.round(combed * 100)} % of the frames are combed, the others are whole.`, {
        value: combed * 100,
        unit: '% of frames combed',
        sure: 0.8,
        places,
        suggests: 'Deinterlace only the combed frames',
        data: { scan: 'mixed', firstField: first },
      }),
    ]
  }
  const found = [
    finding('scan', 'nature', `Interlaced, ${first} field first.`, {
      value: combed * 100,
      unit: '% of frames combed',
      sure: agreeing,
      places,
      suggests: 'Deinterlace',
      data: { scan: 'interlaced', firstField: first },
    }),
  ]
  if (flag.kind === 'progressive' || (flag.firstField !== null && flag.firstField !== first && agreeing > 0.8)) {
    found.push(
      finding('scan-flag', 'fault', `The file says ${flagSays}; its picture is interlaced, ${first} field first.`, {
        sure: agreeing,
        places,
        suggests: `Deinterlace with the ${first} field first`,
        data: { scan: 'interlaced', firstField: first },
      }),
    )
  }
  return found
}
