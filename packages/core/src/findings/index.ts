import type { SourceFacts } from '../facts.ts'
import type { Measurement } from '../measurement.ts'
import type { Finding } from './finding.ts'
import { discFindings } from './disc.ts'
import { aspectFindings, borderFindings } from './frame.ts'
import { pictureFindings } from './picture.ts'
import { scanFindings } from './scan.ts'
import { soundFindings } from './sound.ts'
import { missingFrameFindings, timeFindings } from './time.ts'

export * from './finding.ts'

/** Changes when a rule does; findings kept from older rules are then drawn anew from the kept measurements. */
export const rulesVersion = 2

/** Below this a rule says nothing. */
const leastSure = 0.5

/** What a source's measurements mean: its nature and its faults, faults and the surest first. */
export function findingsOf(facts: SourceFacts, { picture, sound, unreadable }: Measurement): Finding[] {
  const { video } = facts
  const scan = video && picture ? scanFindings(video, picture) : []
  const hasPulldown = scan.some(entry => entry.key === 'pulldown')
  const isInterlaced = scan.some(entry => entry.key === 'scan' && entry.says.startsWith('Interlaced'))
  const found = [
    ...scan,
    ...(video && picture ? [...borderFindings(video, picture), ...aspectFindings(video), ...timeFindings(facts, picture, hasPulldown || isInterlaced), ...pictureFindings(video, picture, hasPulldown)] : []),
    ...soundFindings(facts, picture, sound),
    ...discFindings(unreadable ?? []),
    ...missingFrameFindings(facts),
  ]
  return found.filter(entry => entry.sure >= leastSure).sort((a, b) => Number(a.kind === 'nature') - Number(b.kind === 'nature') || b.sure - a.sure)
}
