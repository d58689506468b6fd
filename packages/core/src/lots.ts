import { z } from 'zod'
import { spannedFrames, type SourceFacts, type VideoFacts } from './facts.ts'
import { describeCodec } from './codec-names.ts'
import { findingNames, type Finding, type FindingKey } from './findings/finding.ts'
import { describeAspect, displayAspect } from './geometry.ts'
import { nearestRational, toNumber, type Rational } from './rational.ts'
import { describeRate, standardRates } from './timing.ts'
import { describeScan } from './treatment/index.ts'

/** What kind of material a source is. */
export type Material = 'moving picture' | 'still' | 'sound'

/** Sound without picture, one picture without sound, or anything that moves. */
export function materialOf(facts: Pick<SourceFacts, 'video' | 'audio' | 'container'>): Material {
  if (!facts.video) return 'sound'
  return facts.audio.length === 0 && spannedFrames(facts.video) <= 1 ? 'still' : 'moving picture'
}

/** What decides whether two sources can be treated by one decision, as words that are equal when they are alike. */
export interface Likeness {
  material: Material
  frame: string
  aspect: string
  scan: string
  rate: string
  codec: string
  /** Faults and traits of the look that call for a treatment of their own. */
  traits: string[]
}

/** How much must be alike in a lot: the frame and the scan only, what calls for another treatment, or all that was found. */
export const Fineness = z.enum(['coarse', 'usual', 'fine'])
export type Fineness = z.infer<typeof Fineness>

/** Findings that call for a treatment of their own, if they are sure; others are dealt with source by source. */
const decisive: readonly FindingKey[] = ['noise', 'blocking', 'flicker', 'shake']
const furtherTraits: readonly FindingKey[] = ['soft', 'black-and-white', 'mark', 'borders']
/** How sure a trait must be, so that a doubtful one never splits a lot. */
const sureEnough = 0.85
/** Rates this near to each other are one rate. */
const sameRate = 0.01

function scanWord({ video }: SourceFacts, findings: readonly Finding[]): string {
  if (!video) return ''
  if (findings.some(entry => entry.key === 'pulldown')) return 'film pulldown'
  const scan = findings.find(entry => entry.key === 'scan')?.data
  if (!scan?.scan) return describeScan(video)
  return scan.scan === 'progressive'
    ? 'progressive'
    : scan.scan === 'interlaced'
      ? `${scan.firstField} field first`
      : 'mixed scan'
}

function rateWord({ frameRate }: VideoFacts): string {
  const value = toNumber(frameRate)
  const off = (rate: Rational) => Math.abs(toNumber(rate) / value - 1)
  const nearest = [...standardRates].sort((a, b) => off(a) - off(b))[0]!
  return describeRate(off(nearest) < sameRate ? nearest : nearestRational(value, 1))
}

/** Heavy blocking and clear noise are treated otherwise than what is hardly seen. */
function traitOf({ key, data, sure }: Finding, fineness: Fineness): string[] {
  if (fineness === 'fine')
    return decisive.includes(key) || furtherTraits.includes(key)
      ? [`${data?.weight === 'heavy' ? 'heavy ' : ''}${findingNames[key]}`]
      : []
  if (fineness === 'coarse' || sure < sureEnough || !decisive.includes(key)) return []
  if (key === 'blocking') return data?.weight === 'heavy' ? ['heavy blocking'] : []
  if (key === 'noise') return data?.weight === 'light' ? [] : [findingNames[key]]
  return [findingNames[key]]
}

/** How a source is to be grouped, from its facts and, where it was measured, its findings. */
export function likenessOf(facts: SourceFacts, findings: readonly Finding[], fineness: Fineness = 'usual'): Likeness {
  const { video } = facts
  const material = materialOf(facts)
  const order = [...decisive, ...furtherTraits]
  const kind = findings.find(entry => entry.key === 'kind' && entry.sure >= sureEnough)?.data?.picture
  const isMade =
    fineness !== 'coarse' &&
    material === 'moving picture' &&
    (kind === 'drawn' || kind === 'screen' || kind === 'slides')
  return {
    material,
    frame: video ? `${video.width}x${video.height}` : '',
    aspect: video ? describeAspect(displayAspect(video)) : '',
    scan: material === 'moving picture' ? scanWord(facts, findings) : '',
    rate: video && material === 'moving picture' && fineness !== 'coarse' ? rateWord(video) : '',
    codec: fineness === 'coarse' ? '' : describeCodec(video?.codec ?? facts.audio[0]?.codec ?? ''),
    traits: [
      ...(isMade ? [kindWords[kind]] : []),
      ...[...findings]
        .sort((a, b) => order.indexOf(a.key) - order.indexOf(b.key))
        .flatMap(entry => traitOf(entry, fineness)),
    ],
  }
}

const kindWords = { drawn: 'drawn', screen: 'a screen', slides: 'slides' }

/** The same text for sources that are alike. */
export function likenessKey(likeness: Likeness): string {
  const { material, frame, aspect, scan, rate, codec, traits } = likeness
  return [material, frame, aspect, scan, rate, codec, ...traits].join(' | ')
}

/** Why sources are together: "720x576 16:9, top field first, 25 fps, MPEG-2, heavy blocking". */
export function describeLikeness({ material, frame, aspect, scan, rate, codec, traits }: Likeness): string {
  if (material === 'sound') return ['sound', codec].filter(part => part !== '').join(', ')
  return [
    material === 'still' ? `still, ${frame}` : `${frame} ${aspect}`,
    scan,
    rate === '' ? '' : `${rate} fps`,
    codec,
    ...traits,
  ]
    .filter(part => part !== '')
    .join(', ')
}

/** What sets a source apart from others, each as "this instead of that". */
export function differencesBetween(one: Likeness, others: Likeness): string[] {
  const parts = (['material', 'frame', 'aspect', 'scan', 'codec'] as const)
    .filter(part => one[part] !== others[part])
    .map(part => `${one[part] || 'none'} instead of ${others[part] || 'none'}`)
  if (one.rate !== others.rate) parts.push(`${one.rate || 'no'} fps instead of ${others.rate || 'none'}`)
  parts.push(
    ...one.traits.filter(trait => !others.traits.includes(trait)),
    ...others.traits.filter(trait => !one.traits.includes(trait)).map(trait => `no ${trait}`),
  )
  return parts
}

/** Most differences with which a source still counts as the odd one out of a lot. */
const mostDifferences = 2

/**
 * Of which lot a lone source is the odd one out: the largest of those that differ in the fewest points, and in at most two.
 * @returns the lot and what differs, or null when none is near
 */
export function oddOneOutOf<Lot extends { likeness: Likeness; count: number }>(
  lone: Likeness,
  lots: readonly Lot[],
): { lot: Lot; differences: string[] } | null {
  let best: { lot: Lot; differences: string[] } | null = null
  for (const lot of lots) {
    if (lot.count < 2) continue
    const differences = differencesBetween(lone, lot.likeness)
    if (differences.length === 0 || differences.length > mostDifferences) continue
    if (
      !best ||
      differences.length < best.differences.length ||
      (differences.length === best.differences.length && lot.count > best.lot.count)
    )
      best = { lot, differences }
  }
  return best
}

/** Name of the lot number `index`: A to Z, then AA, AB ... */
export function lotLetter(index: number): string {
  const last = String.fromCharCode(65 + (index % 26))
  return index < 26 ? last : lotLetter(Math.floor(index / 26) - 1) + last
}
