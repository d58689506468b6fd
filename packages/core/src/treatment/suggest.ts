import type { SourceFacts } from '../facts.ts'
import type { Finding, FindingKey } from '../findings/finding.ts'
import { isHighDefinition } from '../colour.ts'
import { arrangeSteps } from './order.ts'
import type { Step, Strength } from './step.ts'

/** A step that follows from what was found, with the finding's own sentence as its reason. */
export interface Suggestion {
  step: Step
  because: string
}

/** Findings less sure than this suggest nothing. */
const sureEnough = 0.6
/** Noise in codes from which a clear, and a heavy, one is treated as such; see the findings' own words. */
const noiseStrength = (codes: number): Strength => codes > 6 ? 'strong' : codes > 3.5 ? 'medium' : 'light'

/**
 * The treatment that a source's findings suggest, in working order. What only a person can decide is left out: a mark may be wanted,
 * black may belong to the piece, and material of high definition is not enlarged.
 */
export function suggestSteps(facts: SourceFacts, findings: readonly Finding[]): Suggestion[] {
  const suggestions: Suggestion[] = []
  const found = (key: FindingKey) => findings.find(entry => entry.key === key && entry.sure >= sureEnough)
  const add = (entry: Finding | undefined, step: Step | null) => {
    if (entry && step) suggestions.push({ step, because: entry.says })
  }
  const { video } = facts
  if (video) {
    const scan = found('scan')
    const pulldown = found('pulldown')
    const flagWrong = found('scan-flag')
    add(pulldown, { kind: 'undo-pulldown' })
    if (!pulldown && scan?.suggests) add(flagWrong ?? scan, { kind: 'deinterlace', to: 'frame rate', firstField: /bottom field first\./.test(scan.says) ? 'bottom' : /top field first\./.test(scan.says) ? 'top' : 'as found' })
    const borders = found('borders')
    const inside = borders?.places[0]?.area
    add(borders, inside ? { kind: 'crop', left: inside.x, top: inside.y, right: video.width - inside.x - inside.width, bottom: video.height - inside.y - inside.height } : null)
    const blocking = found('blocking')
    const isHeavy = blocking?.says.startsWith('Heavy') ?? false
    add(blocking, { kind: 'deblock', strength: isHeavy ? 'strong' : 'light' })
    const noise = found('noise')
    add(noise, noise?.value ? { kind: 'denoise', method: 'fast', strength: noiseStrength(noise.value) } : null)
    add(found('flicker'), { kind: 'flicker', frames: 5 })
    add(found('shake'), { kind: 'steady', edge: 24, method: 'quick', smooth: 'medium' })
    if (!isHighDefinition(video)) {
      const isCompressed = blocking !== undefined || ['mpeg1video', 'mpeg2video', 'mpeg4', 'msmpeg4v3', 'h263', 'wmv1', 'wmv2'].includes(video.codec)
      suggestions.push({
        step: { kind: 'learned', network: isCompressed ? 'compressed' : 'clean', size: 'fast', times: 2, strength: 100 },
        because: `The picture is ${video.width}x${video.height}${isCompressed ? ' and compressed' : ''}.`,
      })
    }
  }
  const hum = found('hum')
  add(hum, { kind: 'sound-hum', hertz: hum?.suggests?.includes('60 Hz') ? 60 : 50 })
  const silent = found('silent-channel')
  add(silent, { kind: 'channels', make: silent?.suggests?.includes('right channel on both') ? 'right on both' : 'left on both' })
  if (!silent) add(found('out-of-phase'), { kind: 'channels', make: 'right turned over' })
  const loudness = found('loudness')
  // EBU R 128: programmes are at -23 LUFS; a difference below 3 LU is hardly heard as one of level.
  if (loudness?.value && Math.abs(loudness.value + 23) > 3) add(loudness, { kind: 'loudness', target: -23 })
  const order = arrangeSteps(suggestions.map(entry => entry.step)).steps
  return suggestions.sort((a, b) => order.indexOf(a.step) - order.indexOf(b.step))
}
