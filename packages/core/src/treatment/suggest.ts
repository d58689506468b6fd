import { spannedFrames, type SourceFacts } from '../facts.ts'
import type { Finding, FindingData, FindingKey } from '../findings/finding.ts'
import { isHighDefinition } from '../colour.ts'
import type { DeliverySpec } from '../spec/schema.ts'
import type { Treatment } from './treatment.ts'
import { arrangeSteps } from './order.ts'
import { stepKinds, type Step, type Strength } from './step.ts'

/** A step that follows from what was found, with the finding's own sentence as its reason. */
export interface Suggestion {
  step: Step
  because: string
  /** What it follows from; absent where it is the picture's size. */
  finding?: Finding
}

/** Findings less sure than this suggest nothing. */
const sureEnough = 0.6
const noiseStrength: Record<NonNullable<FindingData['weight']>, Strength> = {
  light: 'light',
  clear: 'medium',
  heavy: 'strong',
}
/** Pictures with fewer lines than this gain nothing by a learned enlargement when their blocks are heavy. */
const fewestLinesForBlocks = 200

/**
 * The treatment that a source's findings suggest, in working order. What only a person can decide is left out: a mark may be wanted,
 * black may belong to the piece, and material of high definition is not enlarged.
 */
export function suggestSteps(facts: SourceFacts, findings: readonly Finding[]): Suggestion[] {
  const suggestions: Suggestion[] = []
  const found = (key: FindingKey) => findings.find(entry => entry.key === key && entry.sure >= sureEnough)
  const add = (entry: Finding | undefined, step: Step | null) => {
    if (entry && step) suggestions.push({ step, because: entry.says, finding: entry })
  }
  const { video } = facts
  if (video) {
    const scan = found('scan')
    const pulldown = found('pulldown')
    const flagWrong = found('scan-flag')
    add(pulldown, { kind: 'undo-pulldown' })
    if (!pulldown && scan?.suggests)
      add(flagWrong ?? scan, {
        kind: 'deinterlace',
        to: 'frame rate',
        firstField: scan.data?.scan === 'interlaced' ? (scan.data.firstField ?? 'as found') : 'as found',
      })
    const borders = found('borders')
    add(borders, borders?.data?.crop ? { kind: 'crop', ...borders.data.crop } : null)
    const blocking = found('blocking')
    add(blocking, { kind: 'deblock', strength: blocking?.data?.weight === 'heavy' ? 'strong' : 'light' })
    const noise = found('noise')
    add(
      noise,
      noise?.data?.weight ? { kind: 'denoise', method: 'fast', strength: noiseStrength[noise.data.weight] } : null,
    )
    add(found('flicker'), { kind: 'flicker', frames: 5 })
    add(found('shake'), { kind: 'steady', edge: 24, method: 'quick', smooth: 'medium' })
    const isTiny = blocking?.data?.weight === 'heavy' && video.height < fewestLinesForBlocks
    const isStill = spannedFrames(video) <= 1
    if (!isHighDefinition(video) && !isTiny && !isStill) {
      const isCompressed =
        blocking !== undefined ||
        ['mpeg1video', 'mpeg2video', 'mpeg4', 'msmpeg4v3', 'h263', 'wmv1', 'wmv2'].includes(video.codec)
      const isDrawn = found('kind')?.data?.picture === 'drawn'
      suggestions.push({
        step: {
          kind: 'learned',
          network: isCompressed ? 'compressed' : isDrawn ? 'drawn' : 'clean',
          size: 'fast',
          times: 2,
          strength: 100,
        },
        because: `The picture is ${video.width}x${video.height}${isCompressed ? ' and compressed' : isDrawn ? ' and drawn' : ''}.`,
      })
    }
  }
  const tracks = facts.audio.length
  // A fault of one track is mended there and nowhere else.
  const inTrack = (entry: Finding) => (tracks > 1 && entry.data?.track !== undefined ? { track: entry.data.track } : {})
  const hum = found('hum')
  if (hum?.data?.hertz) add(hum, { kind: 'sound-hum', hertz: hum.data.hertz, ...inTrack(hum) })
  const silent = found('silent-channel')
  if (silent)
    add(silent, {
      kind: 'channels',
      make: silent.data?.channel === 'left' ? 'right on both' : 'left on both',
      ...inTrack(silent),
    })
  const opposed = silent ? undefined : found('out-of-phase')
  if (opposed) add(opposed, { kind: 'channels', make: 'right turned over', ...inTrack(opposed) })
  const loudness = found('loudness')
  // EBU R 128: programmes are at -23 LUFS; a difference below 3 LU is hardly heard as one of level.
  if (loudness?.value && Math.abs(loudness.value + 23) > 3) add(loudness, { kind: 'loudness', target: -23 })
  const order = arrangeSteps(suggestions.map(entry => entry.step)).steps
  return suggestions.sort((a, b) => order.indexOf(a.step) - order.indexOf(b.step))
}

/** Faults that leave a result with something to look at when nothing is done about them; of those that come in degrees, from a clear one on. */
const worthALook = new Set<FindingKey>([
  'scan',
  'scan-flag',
  'pulldown',
  'borders',
  'noise',
  'blocking',
  'flicker',
  'shake',
  'hum',
  'silent-channel',
  'out-of-phase',
])

/** What was found of a source and a way of treating it leaves as it is. */
export interface LeftIn {
  finding: Finding
  /** The step that would cure it. */
  step: Step
}

/**
 * Faults of a source that a treatment does nothing about, with the step that would.
 * @param done kinds of steps that are done, those that the spec brings along among them
 * @param keepsAll whether the spec is made to keep everything as it is
 */
export function leftIn(
  facts: SourceFacts,
  findings: readonly Finding[],
  done: ReadonlySet<Step['kind']>,
  hasPicture: boolean,
  keepsAll: boolean,
): LeftIn[] {
  if (keepsAll) return []
  return suggestSteps(facts, findings).flatMap(({ step, finding }) => {
    if (!finding || !worthALook.has(finding.key) || finding.data?.weight === 'light' || done.has(step.kind)) return []
    if (!hasPicture && stepKinds[step.kind].group !== 'sound') return []
    // Deinterlaced and pulldown undone are both whole pictures.
    if (['deinterlace', 'undo-pulldown'].includes(step.kind) && (done.has('deinterlace') || done.has('undo-pulldown')))
      return []
    return [{ finding, step }]
  })
}

/** The same for a treatment as it was worked out. Specs that are lossless, or keep fields as they are, are made to keep what there is. */
export function leftInBy(
  facts: SourceFacts,
  findings: readonly Finding[],
  spec: DeliverySpec,
  treatment: Treatment,
): LeftIn[] {
  const done = new Set<Step['kind']>([
    ...treatment.steps.flatMap(step =>
      step.kind === 'chosen' ? [step.step.kind] : step.kind === 'deinterlace' ? ['deinterlace' as const] : [],
    ),
    ...(treatment.sound ?? []).map(step => step.kind),
  ])
  const left = leftIn(facts, findings, done, treatment.result !== null, spec.video?.rateControl.kind === 'lossless')
  return treatment.result !== null && spec.video?.scan === 'as source'
    ? left.filter(({ step }) => step.kind !== 'deinterlace' && step.kind !== 'undo-pulldown')
    : left
}

/** A source's facts with the scan that its picture was measured to have, where that is sure, instead of the flag's. */
export function asMeasured(facts: SourceFacts, findings: readonly Finding[]): SourceFacts {
  const scan = findings.find(entry => entry.key === 'scan' && entry.sure >= sureOfScan)?.data
  const hasPulldown = findings.some(entry => entry.key === 'pulldown')
  if (!facts.video || !scan?.scan || hasPulldown) return facts
  const { video } = facts
  const firstField = scan.scan === 'progressive' ? null : (scan.firstField ?? video.scan.firstField)
  return { ...facts, video: { ...video, scan: { ...video.scan, kind: scan.scan, firstField } } }
}

/** Measured scans this sure outvote the flag. */
const sureOfScan = 0.75
