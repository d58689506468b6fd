import type { SourceFacts } from '../facts.ts'
import type { Measurement } from '../measurement.ts'
import type { Finding } from './finding.ts'
import { discFindings } from './disc.ts'
import { aspectFindings, borderFindings } from './frame.ts'
import { kindFinding, kindOf } from './kind.ts'
import { pictureFindings } from './picture.ts'
import { scanFindings } from './scan.ts'
import { soundFindings } from './sound.ts'
import { missingFrameFindings, timeFindings } from './time.ts'

export * from './finding.ts'
export { cutChange, cutsIn, cutsOf } from './time.ts'
export { kindOf, type PictureKind } from './kind.ts'

/** Changes when a rule does; findings kept from older rules are then drawn anew from the kept measurements. */
export const rulesVersion = 3

/** Below this a rule says nothing. */
const leastSure = 0.5

/** What a source's measurements mean: its nature and its faults, faults and the surest first. */
export function findingsOf(facts: SourceFacts, { picture, sound, unreadable }: Measurement): Finding[] {
  const { video } = facts
  const kind = picture ? (kindOf(picture)?.kind ?? null) : null
  const scan = video && picture ? scanFindings(video, picture, kind) : []
  const hasPulldown = scan.some(entry => entry.key === 'pulldown')
  const isInterlaced = scan.some(entry => entry.key === 'scan' && entry.data?.scan === 'interlaced')
  const found = [
    ...(picture ? kindFinding(picture) : []),
    ...scan,
    ...(video && picture
      ? [
          ...borderFindings(video, picture, kind),
          ...aspectFindings(video),
          ...timeFindings(facts, picture, hasPulldown || isInterlaced, kind),
          ...pictureFindings(video, picture, hasPulldown, kind),
        ]
      : []),
    ...soundFindings(facts, picture, sound),
    ...discFindings(unreadable ?? []),
    ...missingFrameFindings(facts),
  ]
  return found
    .filter(entry => entry.sure >= leastSure)
    .sort((a, b) => Number(a.kind === 'nature') - Number(b.kind === 'nature') || b.sure - a.sure)
}
