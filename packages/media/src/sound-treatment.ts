import { toNumber, type AudioFacts, type DeliverySpec, type Rational } from '@hematine/core'
import { StreamDecoder } from './decoder.ts'
import { audioPadOf, Graph } from './graph.ts'
import type { MediaInput } from './input.ts'
import { TreatedStream } from './treated-stream.ts'

/** What an encoder wants its sound as. */
export interface SoundShape {
  sampleFormat: string
  sampleRate: number
  layout: string
  /** Samples in each frame, or 0 when any number will do. */
  frameSize: number
}

/** Layout a track is delivered in: its own up to the spec's channels, otherwise stereo or mono, mixed down by the library's standard matrix. */
export function deliveredLayout(track: AudioFacts, spec: DeliverySpec): string {
  if (track.channels <= spec.audio.maxChannels) return track.channels === 1 ? 'mono' : track.channels === 2 ? 'stereo' : track.layout
  return spec.audio.maxChannels === 1 ? 'mono' : spec.audio.maxChannels < 6 ? 'stereo' : '5.1'
}

/** Number of channels of a delivered layout. */
export function deliveredChannels(track: AudioFacts, spec: DeliverySpec): number {
  const layout = deliveredLayout(track, spec)
  return layout === 'mono' ? 1 : layout === 'stereo' ? 2 : layout === '5.1' ? 6 : track.channels
}

/**
 * One sound track, decoded and brought into an encoder's shape; times of its frames count samples from time 0.
 * Sound from before the picture starts is cut, a late start and gaps are filled with silence.
 */
export class TreatedSound extends TreatedStream {
  private constructor(decoder: StreamDecoder, private readonly shape: SoundShape, startTicks: bigint) {
    super(decoder, startTicks)
  }

  /** @param zeroSeconds time in the container that is time 0 of the result */
  static async open(input: MediaInput, track: AudioFacts, shape: SoundShape, zeroSeconds: number, startSeconds = 0): Promise<TreatedSound> {
    const decoder = await StreamDecoder.open(input, track.streamIndex, 1)
    const start = BigInt(Math.round((zeroSeconds + startSeconds) / toNumber(decoder.timeBase)))
    if (startSeconds > 0) await decoder.seek(start)
    return new TreatedSound(decoder, shape, start)
  }

  protected isNeeded(): boolean {
    return true
  }

  protected isWanted(): boolean {
    return true
  }

  protected buildGraph(): Promise<Graph> {
    const { decoded, shape } = this
    const filters = [
      'atrim=start=0',
      `aresample=${shape.sampleRate}:async=1:first_pts=0`,
      `aformat=sample_fmts=${shape.sampleFormat}:channel_layouts=${shape.layout}:sample_rates=${shape.sampleRate}`,
    ]
    if (shape.frameSize > 0) filters.push(`asetnsamples=n=${shape.frameSize}:p=0`)
    return Graph.audio(filters.join(','), audioPadOf(decoded, this.decoder.timeBase))
  }
}

/** Seconds of a tick in a time base. */
export function secondsOf(ticks: number, timeBase: Rational): number {
  return ticks * toNumber(timeBase)
}
