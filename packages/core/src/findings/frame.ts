import type { VideoFacts } from '../facts.ts'
import { describeAspect, displayAspect } from '../geometry.ts'
import type { MeasuredPicture } from '../measurement.ts'
import { equal, toNumber } from '../rational.ts'
import { squarePixel } from '../geometry.ts'
import { finding, moment, type Finding } from './finding.ts'
import { hasFewShades, isShownKind } from './picture.ts'
import type { PictureKind } from './kind.ts'

/** Narrowest border worth a word, in pixels, and as a part of the frame. */
const leastPixels = 4
const leastPart = 0.004
/** Windows whose borders lie this near to the narrowest agree with it. */
const tolerance = 3
/** Part of the windows that must agree, so that a dark side of a scene is not taken for a border. */
const agreeingPart = 0.8

/** Borders that hold in the whole source, with the crop that takes them off. */
export function borderFindings(video: VideoFacts, picture: MeasuredPicture, kind: PictureKind | null): Finding[] {
  const known = picture.windows.filter(window => window.borders !== null)
  // A screen's own dark edge, and the black ground of slides, are no borders.
  if (known.length === 0 || isShownKind(kind)) return []
  const sides = [0, 1, 2, 3].map(side => {
    const widths = known.map(window => window.borders![side]!)
    const width = Math.min(...widths)
    const sure = widths.filter(value => value <= width + tolerance).length / widths.length
    const full = side % 2 === 0 ? video.width : video.height
    return { width, sure, counts: width >= Math.max(leastPixels, leastPart * full) && sure >= agreeingPart }
  })
  if (!sides.some(side => side.counts)) return []
  // The black ground of a drawing reaches to one side or another; borders stand at both.
  const isPair = (one: number, other: number) => sides[one]!.counts && sides[other]!.counts
  if (kind === 'drawn' && hasFewShades(picture.windows) && !isPair(0, 2) && !isPair(1, 3)) return []
  const [left, top, right, bottom] = sides.map(side => (side.counts ? side.width : 0)) as [
    number,
    number,
    number,
    number,
  ]
  // Crops keep to even pixels, so that chroma stays in its place.
  const even = (value: number) => value + (value % 2)
  const [width, height] = [video.width - even(left) - even(right), video.height - even(top) - even(bottom)]
  const names = ['left', 'top', 'right', 'bottom']
  const says = sides.flatMap((side, index) => (side.counts ? [`${side.width} ${names[index]}`] : [])).join(', ')
  return [
    finding('borders', 'fault', `Black borders, in pixels: ${says}. The picture inside is ${width}x${height}.`, {
      value: left + top + right + bottom,
      unit: 'pixels',
      sure: Math.min(...sides.filter(side => side.counts).map(side => side.sure)) * (known.length >= 3 ? 0.98 : 0.8),
      places: known
        .slice(0, 4)
        .map(window =>
          moment(window.still?.seconds ?? window.seconds[0]!, { x: even(left), y: even(top), width, height }),
        ),
      suggests: `Crop to ${width}x${height} at ${even(left)}, ${even(top)}`,
      data: { crop: { left: even(left), top: even(top), right: even(right), bottom: even(bottom) } },
    }),
  ]
}

/** Sizes of standard definition, which never had square pixels. */
const standardSizes = new Set([
  '720x576',
  '704x576',
  '720x480',
  '704x480',
  '720x486',
  '720x512',
  '352x576',
  '352x480',
  '480x576',
  '480x480',
])

/** Aspect flags that can hardly be right. */
export function aspectFindings(video: VideoFacts): Finding[] {
  const shape = toNumber(displayAspect(video))
  if (standardSizes.has(`${video.width}x${video.height}`) && equal(video.pixelAspect, squarePixel)) {
    return [
      finding(
        'aspect',
        'fault',
        `The pixels are flagged square, which shows the frame as ${describeAspect(displayAspect(video))}. Pictures of ${video.width}x${video.height} are 4:3 or 16:9.`,
        { sure: 0.85, suggests: 'Set the aspect to 4:3 or 16:9' },
      ),
    ]
  }
  if (shape > 3 || shape < 0.4)
    return [
      finding('aspect', 'fault', `The flags show the frame ${shape.toFixed(2)} times as wide as high.`, {
        value: shape,
        unit: ': 1',
        sure: 0.7,
        suggests: 'Set the aspect',
      }),
    ]
  return []
}
