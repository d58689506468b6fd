import type { VideoFacts } from '../facts.ts'
import type { MeasuredPicture, MeasuredWindow } from '../measurement.ts'
import { finding, moment, type Finding, type FindingPlace } from './finding.ts'

/** Frames that must have been judged before anything is said. */
const fewestJudged = 10
/** Part of the judged frames that are combed, above which all are taken to be, and below which none. */
const allCombed = 0.85
const noneCombed = 0.1
/** Part of the windows with combing in which the cadence must show. */
const cadenceWindows = 0.6

const isCombed = (letter: string) => letter === 't' || letter === 'b'

/** Whether the frames of a window repeat every five as film in video does: two neighbours combed, three whole. */
function hasThreeTwo({ scan }: MeasuredWindow): boolean {
  return [0, 1, 2, 3, 4].some(offset => {
    const counts = { combed: [0, 0], whole: [0, 0] }
    for (let index = 0; index < scan.length; index++) {
      if (scan[index] === 'u') continue
      const part = (index + offset) % 5 < 2 ? counts.combed : counts.whole
      part[isCombed(scan[index]!) ? 0 : 1]!++
    }
    const [hit, missed] = counts.combed as [number, number]
    const [stray, clean] = counts.whole as [number, number]
    return hit + missed >= 4 && clean + stray >= 6 && hit >= 3 * missed && clean >= 4 * stray
  })
}

function firstPlaces(windows: readonly MeasuredWindow[], letters: string): FindingPlace[] {
  return windows.flatMap(window => {
    const index = [...window.scan].findIndex(letter => letters.includes(letter))
    return index < 0 ? [] : [moment(window.seconds[index]!)]
  })
}

/** How the picture was scanned, as its fields show it, and whether the file says the same. */
export function scanFindings(video: VideoFacts, picture: MeasuredPicture): Finding[] {
  const { windows } = picture
  const letters = windows.map(window => window.scan).join('')
  const count = (letter: string) => letters.split(letter).length - 1
  const [top, bottom, whole] = [count('t'), count('b'), count('p')]
  const judged = top + bottom + whole
  if (judged < fewestJudged) return []
  const combed = (top + bottom) / judged
  const flag = video.scan
  const flagSays = flag.kind === 'progressive' ? 'progressive' : flag.kind === 'mixed' ? 'partly interlaced' : `interlaced, ${flag.firstField} field first`

  const withCombing = windows.filter(window => [...window.scan].filter(isCombed).length >= 3)
  const cadenced = withCombing.filter(hasThreeTwo)
  if (combed > 0.2 && combed < allCombed && cadenced.length >= Math.max(1, cadenceWindows * withCombing.length)) {
    const sure = 0.6 + 0.38 * (cadenced.length / withCombing.length)
    return [finding('pulldown', 'nature', `Film at four fifths of the rate: two of five frames are woven from two film frames (3:2 pulldown), seen in ${cadenced.length} of ${withCombing.length} windows with motion.`, {
      value: combed * 100, unit: '% of frames combed', sure, places: firstPlaces(cadenced, 'tb'), suggests: 'Undo the pulldown',
    })]
  }
  if (combed <= noneCombed) {
    const found = [finding('scan', 'nature', 'Progressive: every frame shows one moment.', { value: combed * 100, unit: '% of frames combed', sure: Math.min(0.98, whole / judged), places: firstPlaces(windows, 'p').slice(0, 1) })]
    if (flag.kind === 'interlaced') found.push(finding('scan-flag', 'fault', `The file says ${flagSays}, but its frames are whole (2:2, progressive frames sent as fields).`, { sure: whole / judged, places: firstPlaces(windows, 'p'), suggests: 'Treat it as progressive: leave deinterlacing out' }))
    return found
  }
  const first = top >= bottom ? 'top' : 'bottom'
  const agreeing = Math.max(top, bottom) / (top + bottom)
  const places = firstPlaces(windows, first === 'top' ? 't' : 'b')
  if (combed < allCombed) {
    return [finding('scan', 'fault', `Mixed: ${Math.round(combed * 100)} % of the frames are combed, the others are whole.`, { value: combed * 100, unit: '% of frames combed', sure: 0.8, places, suggests: 'Deinterlace only the combed frames' })]
  }
  const found = [finding('scan', 'nature', `Interlaced, ${first} field first.`, { value: combed * 100, unit: '% of frames combed', sure: agreeing, places, suggests: 'Deinterlace' })]
  if (flag.kind === 'progressive' || (flag.firstField !== null && flag.firstField !== first && agreeing > 0.8)) {
    found.push(finding('scan-flag', 'fault', `The file says ${flagSays}; its picture is interlaced, ${first} field first.`, { sure: agreeing, places, suggests: `Deinterlace with the ${first} field first` }))
  }
  return found
}
