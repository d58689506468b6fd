import {
  plainTimeline,
  soundCodec,
  soundLead,
  soundOf,
  sourceTimeAt,
  toNumber,
  type AudioFacts,
  type DeliverySpec,
  type Rational,
  type SourceFacts,
  type Step,
  type Strength,
  type Timeline,
  type Treatment,
} from '@hematine/core'
import { AV_NOPTS_VALUE, AV_TIME_BASE } from 'node-av/constants'
import { openFrames, type FrameReader } from '../reading/frame-reader.ts'
import { audioPadOf, Graph } from '../ground/graph.ts'
import type { MediaInput } from '../ground/media-input.ts'
import { layoutName, unstatedSpeakers } from '../ground/speakers.ts'
import { loudnessOf } from './loudness.ts'
import { TreatedStream } from '../reading/treated-stream.ts'

/** What an encoder wants its sound as. */
export interface SoundShape {
  sampleFormat: string
  sampleRate: number
  layout: string
  /** Samples in each frame, or 0 when any number will do. */
  frameSize: number
}

/**
 * Layout a track is delivered in: its own up to the spec's channels, where the codec can say it; otherwise stereo or mono, mixed down by
 * the library's standard matrix.
 */
export function deliveredLayout(track: AudioFacts, spec: DeliverySpec): string {
  const { codec, maxChannels } = soundOf(spec)
  if (track.mixed) return 'stereo'
  const { layouts } = soundCodec(codec)
  const layout = track.layout.endsWith(' channels')
    ? layoutName(track.channels, unstatedSpeakers(track.channels))
    : track.layout
  const isSaid = layouts === null || track.channels < 3 || track.channels > 5 || layouts.includes(layout)
  if (track.channels <= maxChannels && isSaid)
    return track.channels === 1 ? 'mono' : track.channels === 2 ? 'stereo' : layout
  return maxChannels === 1 ? 'mono' : maxChannels < 6 || !isSaid ? 'stereo' : '5.1'
}

/** Number of channels of a delivered layout. */
export function deliveredChannels(track: AudioFacts, spec: DeliverySpec): number {
  const layout = deliveredLayout(track, spec)
  return layout === 'mono' ? 1 : layout === 'stereo' ? 2 : layout === '5.1' ? 6 : track.channels
}

/** Samples a second in which a track is delivered. */
export function deliveredRate(track: AudioFacts, spec: DeliverySpec): number {
  return soundOf<{ codec: string; sampleRate: number | null }>(spec).sampleRate ?? track.sampleRate
}

/**
 * One sound track, decoded and brought into an encoder's shape; times of its frames count samples from time 0.
 * Sound from before the picture starts is cut, a late start and gaps are filled with silence.
 */
export class TreatedSound extends TreatedStream<Graph> {
  private constructor(
    decoder: FrameReader,
    private readonly shape: SoundShape,
    startTicks: bigint,
    private readonly filters: string[],
    private readonly goesOn: boolean,
    endTicks: bigint | null,
  ) {
    super(decoder, startTicks, endTicks)
  }

  /**
   * @param zeroSeconds time in the container that is time 0 of the source
   * @param startSeconds time in the result to begin with
   * @param goesOn whether silence without end follows it
   */
  static async open(
    input: MediaInput,
    track: AudioFacts,
    shape: SoundShape,
    zeroSeconds: number,
    {
      startSeconds = 0,
      treatment = {},
      goesOn = false,
    }: { startSeconds?: number; treatment?: Pick<Treatment, 'timeline' | 'sound'>; goesOn?: boolean } = {},
  ): Promise<TreatedSound> {
    const decoder = await openFrames(input, track.streamIndex, 1)
    const timeline = treatment.timeline ?? plainTimeline
    const steps = treatment.sound ?? []
    try {
      // Loudness is judged by what comes before: a piece from the middle hears that too, and it is cut off again.
      const lead = steps.some(step => step.kind === 'loudness') ? Math.min(startSeconds, loudnessLead) : 0
      const from = sourceTimeAt(timeline, startSeconds - lead)
      const ticksAt = (seconds: number) => BigInt(Math.round((zeroSeconds + seconds) / toNumber(decoder.timeBase)))
      if (from > 0) await decoder.seek(ticksAt(Math.max(0, from - lookBack)))
      const filters: string[] = timelineFilters(timeline, from)
      for (const step of steps)
        filters.push(
          ...(step.kind === 'loudness' && isShort(decoder)
            ? await fixedGain(input, track, step.target)
            : soundFilters(step, track)),
        )
      if (lead > 0) filters.push(`atrim=start=${lead}`, 'asetpts=PTS-STARTPTS')
      const end = timeline.ranges?.at(-1)?.to
      const last = end === undefined ? null : ticksAt(end)
      return new TreatedSound(decoder, shape, ticksAt(from), filters, goesOn, last)
    } catch (error) {
      await decoder.close()
      throw error
    }
  }

  protected readonly lasts = false

  protected isNeeded(): boolean {
    return true
  }

  protected isWanted(): boolean {
    return true
  }

  protected build(): Promise<Graph> {
    const { decoded, shape } = this
    const filters = [
      'atrim=start=0',
      ...(this.filters.length === 0 ? [] : ['aresample=async=1:first_pts=0', ...this.filters]),
      `aresample=${shape.sampleRate}:async=1:first_pts=0`,
      `aformat=sample_fmts=${shape.sampleFormat}:channel_layouts=${shape.layout}:sample_rates=${shape.sampleRate}`,
    ]
    if (this.goesOn) filters.push('apad')
    if (shape.frameSize > 0) filters.push(`asetnsamples=n=${shape.frameSize}:p=0`)
    return Graph.audio(filters.join(','), audioPadOf(decoded, this.decoder.timeBase))
  }
}

/**
 * What begins in the middle is read from so many seconds before and cut: coders lean on what came before, and where a file has no index the times of the
 * first packets behind a place belong to their neighbours.
 */
const lookBack = 0.5

/** The library's levelling looks at three seconds; a piece is given so many before it, and sources shorter than the second are levelled as a whole. */
const loudnessLead = 6
const shortSound = 4

function isShort({ container }: FrameReader): boolean {
  return container.duration > 0n && Number(container.duration) / AV_TIME_BASE < shortSound
}

/** Brings a short track to a loudness by one gain, measured on all of it; silence is left alone. Peaks stay below -1 dBTP. */
async function fixedGain(input: MediaInput, track: AudioFacts, target: number): Promise<string[]> {
  const loudness = await loudnessOf(input, track.streamIndex)
  return loudness === null ? [] : [`volume=${(target - loudness).toFixed(2)}dB`, 'alimiter=limit=0.89:level=false']
}

/** Seconds of a tick in a time base. */
export function secondsOf(ticks: number, timeBase: Rational): number {
  return ticks * toNumber(timeBase)
}

/** Time in the container that is time 0 for sound: the picture's beginning or, without one, that of the earliest track. */
export async function soundZero(
  input: MediaInput,
  { video, audio }: Pick<SourceFacts, 'video' | 'audio'>,
): Promise<number> {
  if (video) return secondsOf(video.startTicks, video.timeBase)
  const starts: number[] = []
  for (const { streamIndex } of audio) {
    const reader = await openFrames(input, streamIndex, 1)
    const { startTime, timeBase } = reader.stream
    if (startTime !== AV_NOPTS_VALUE) starts.push(secondsOf(Number(startTime), timeBase))
    await reader.close()
  }
  return starts.length > 0 ? Math.min(...starts) : 0
}

/**
 * Time in the container that is time 0 for a result of sound alone: as for a picture, but sound that begins before the picture is kept. Ranges are
 * given in the picture's time, so with them it is cut.
 */
export async function soundAloneZero(
  input: MediaInput,
  facts: Pick<SourceFacts, 'video' | 'audio'>,
  { timeline }: Pick<Treatment, 'timeline'>,
): Promise<number> {
  return (await soundZero(input, facts)) - (timeline?.ranges ? 0 : soundLead(facts))
}

/** Ranges and speed of a timeline for sound that begins at a time of the source; pitch is kept. */
function timelineFilters({ ranges, speed }: Timeline, from: number): string[] {
  const filters: string[] = []
  if (ranges) {
    // Cut to the sample, so that what is kept on either side of a cut fits and nothing adds up over many of them.
    const cuts = ranges
      .filter(range => range.to > from)
      .map(range => `atrim=start=${Math.max(0, range.from - from)}:end=${range.to - from},asetpts=PTS-STARTPTS`)
    filters.push(cuts.length < 2 ? (cuts[0] ?? 'atrim=end=0') : oneAfterTheOther(cuts))
  }
  // The filter takes half to a hundred times; slower is done twice over.
  for (let rest = speed; rest !== 1; rest = rest < 0.5 ? rest / 0.5 : 1) filters.push(`atempo=${Math.max(0.5, rest)}`)
  return filters
}

/** Several cuts of one stream, joined. */
function oneAfterTheOther(cuts: readonly string[]): string {
  const names = (letter: string) => cuts.map((_, index) => `[${letter}${index}]`)
  const [taken, cut] = [names('taken'), names('cut')]
  return [
    `asplit=${cuts.length}${taken.join('')}`,
    ...cuts.map((filters, index) => `${taken[index]}${filters}${cut[index]}`),
    `${cut.join('')}concat=n=${cuts.length}:v=0:a=1`,
  ].join(';')
}

/** Multiples of the mains frequency that are taken out, and how narrow each notch is. */
const humMultiples = 8
const humQuality = 30

/** Most gain for quiet words, and for the band that makes consonants clear, in dB. */
const speechSettings = {
  light: { lift: 6, clear: 2, noise: 6 },
  medium: { lift: 10, clear: 3, noise: 10 },
  strong: { lift: 14, clear: 5, noise: 16 },
}

/**
 * Rumble below the voice is cut, noise taken down, the band of consonants raised a little, and quiet words lifted towards loud ones.
 * The gain follows half waves, so it is kept slow.
 */
function speechFilters(strength: Strength): string[] {
  const { lift, clear, noise } = speechSettings[strength]
  return [
    'highpass=f=80:p=2',
    'highpass=f=80:p=2',
    `afftdn=nr=${noise}:nf=-45:tn=1`,
    `equalizer=f=3000:t=o:w=2:g=${clear}`,
    `speechnorm=p=0.7:e=${(10 ** (lift / 20)).toFixed(2)}:r=0.005:f=0.01:l=1`,
  ]
}

/** The filters of a sound step. */
function soundFilters(step: Step, track: AudioFacts): string[] {
  if ('track' in step && step.track !== undefined && track.position !== undefined && step.track !== track.position)
    return []
  switch (step.kind) {
    case 'sound-hum':
      return Array.from(
        { length: humMultiples },
        (_, index) => `bandreject=f=${step.hertz * (index + 1)}:width_type=q:w=${humQuality}`,
      )
    // How much is taken away, and how loud noise may be to be taken for noise, both in dB.
    case 'sound-denoise':
      return [`afftdn=${{ light: 'nr=8:nf=-50', medium: 'nr=14:nf=-42', strong: 'nr=24:nf=-35' }[step.strength]}`]
    case 'speech':
      return speechFilters(step.strength)
    case 'channels': {
      if (track.channels !== 2) return []
      const [left, right] = (
        {
          'left on both': ['c0', 'c0'],
          'right on both': ['c1', 'c1'],
          swapped: ['c1', 'c0'],
          'right turned over': ['c0', '-1*c1'],
        } as const
      )[step.make]
      return [`pan=stereo|c0=${left}|c1=${right}`]
    }
    case 'sound-delay':
      return step.milliseconds === 0
        ? []
        : step.milliseconds > 0
          ? [`adelay=delays=${step.milliseconds}:all=1`]
          : [`atrim=start=${-step.milliseconds / 1000}`, 'asetpts=PTS-STARTPTS']
    // The filter works at 192 kHz inside; the true peak stays below the -1 dBTP of EBU R 128.
    case 'loudness':
      return [`loudnorm=I=${step.target}:TP=-1:LRA=11`]
    default:
      return []
  }
}
