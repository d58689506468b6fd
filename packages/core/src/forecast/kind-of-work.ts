import { describeCodec } from '../codec-names.ts'
import { pictureCodecs, soundCodecs } from '../codecs/index.ts'
import { encoderNeed } from '../devices/device.ts'
import type { DeliverySpec, RateControl } from '../spec/schema.ts'
import { treatedSeconds, type Treatment } from '../treatment/index.ts'

/** What is known of a job that says how its forecast may err. */
export interface WorkTraits {
  /** Codec of the picture; null for sound alone, and for a picture that is copied. */
  videoCodec: string | null
  /** How it is told how many bits to spend; null without one. */
  rate: string | null
  soundCodec: string | null
  isCopied: boolean
  /** Whether a graphics device encodes its picture; left out, the processor does. */
  isByDevice?: boolean
  durationSeconds: number
}

/** Whether a forecast is of the job's own source, or carried over from others that are like it. */
export type Basis = 'own' | 'like'

/** Results that are shorter are forecast worse: starting costs and the first keyframe count for more. */
const shortSeconds = 10

const rateWords: Record<RateControl['kind'], string> = {
  'constant quality': 'held quality',
  'average rate': 'average rate',
  'size cap': 'size cap',
  'quality target': 'measured quality',
  'set by profile': 'rate of its profile',
  lossless: 'lossless',
}

/** The traits of a job. */
export function workTraits({ spec, treatment }: { spec: DeliverySpec; treatment: Treatment }): WorkTraits {
  const isCopied = treatment.result !== null && treatment.copied === true
  const video = treatment.result !== null && !isCopied ? spec.video : null
  return {
    videoCodec: video?.codec ?? null,
    rate: video?.rateControl.kind ?? null,
    soundCodec: spec.audio?.codec ?? null,
    isCopied,
    isByDevice: video !== null && encoderNeed({ video }) !== null,
    durationSeconds: treatedSeconds(treatment),
  }
}

/**
 * Work whose forecasts are taken to err alike: by what a forecast was made of, by codec and rate control, or that the picture is copied; short work apart from
 * longer.
 * @returns a key, which `describeKind` puts into words
 */
export function kindOfWork(traits: WorkTraits, basis: Basis): string {
  const { videoCodec, rate, soundCodec, isCopied, isByDevice, durationSeconds } = traits
  const what = isCopied
    ? 'copy'
    : videoCodec
      ? `${videoCodec}/${rate}${isByDevice ? '/device' : ''}`
      : `sound/${soundCodec}`
  return `${basis}/${durationSeconds < shortSeconds ? 'short' : 'long'}/${what}`
}

/** What the forecasts of a kind of work are made of. */
export function basisOf(kind: string): Basis {
  return kind.split('/')[0] as Basis
}

const codecWords = (key: string) =>
  [...pictureCodecs, ...soundCodecs].find(codec => codec.key === key)?.name ?? describeCodec(key)

/** "H.264, held quality; 10 s and longer; measured itself" */
export function describeKind(kind: string): string {
  const [, length, what, detail, by] = kind.split('/')
  const work =
    what === 'copy'
      ? 'copied picture'
      : what === 'sound'
        ? `${codecWords(detail!)} alone`
        : `${codecWords(what!)}${by ? ' by a graphics device' : ''}, ${rateWords[detail as RateControl['kind']]}`
  return `${work}; ${length === 'short' ? `under ${shortSeconds} s` : `${shortSeconds} s and longer`}; ${basisOf(kind) === 'own' ? 'measured itself' : 'by its like'}`
}
