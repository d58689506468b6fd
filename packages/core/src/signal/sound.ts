/** Sound is measured in blocks of a tenth of a second, by channel, with samples between -1 and 1. */
export const blockSeconds = 0.1
const silenceLevel = -60
const leastSilence = 0.5
/** Samples within 0.1 dB of full scale, so many in a row, may be a clipped peak. */
const fullScale = 0.9886
const clippedRun = 3
/** Loud peaks are round and clipped ones are flat: what is cut off climbs less than this part of what its steepness on the way in would carry it. */
const flatPart = 0.2
/** Base frequencies of mains hum and how many multiples are looked at. */
const mains = [50, 60]
const multiples = 4

/** Level of a mean square in dBFS, where a full-scale square wave is 0; -120 for silence. */
export function decibels(meanSquare: number): number {
  return meanSquare > 1e-12 ? 10 * Math.log10(meanSquare) : -120
}

const hannWindows = new Map<number, Float64Array>()

function hann(size: number): Float64Array {
  let window = hannWindows.get(size)
  if (!window)
    hannWindows.set(
      size,
      (window = Float64Array.from({ length: size }, (_, index) => 0.5 - 0.5 * Math.cos((2 * Math.PI * index) / size))),
    )
  return window
}

/** Power of one frequency in a stretch of samples, as the mean square of a sine of that level (Goertzel's algorithm under a Hann window). */
export function powerAt(samples: Float32Array, hertz: number, sampleRate: number): number {
  const turn = 2 * Math.cos((2 * Math.PI * hertz) / sampleRate)
  let [one, two] = [0, 0]
  const size = samples.length
  const weights = hann(size)
  for (let index = 0; index < size; index++) {
    const next = samples[index]! * weights[index]! + turn * one - two
    two = one
    one = next
  }
  const magnitude = one * one + two * two - turn * one * two
  // A Hann window halves the amplitude; a sine's mean square is half its amplitude squared.
  return (8 * magnitude) / (size * size)
}

interface ChannelSums {
  squares: number[]
  clippedRuns: number
  run: number
  last: number
  step: number
  climb: number
  low: number
  high: number
}

/**
 * Whether a run of samples at full scale is a flattened peak. A round peak is a parabola near its top: entered at a climb of c a sample (the steeper of the last two steps, as the last may be cut off itself) and left
 * n samples later, it rises by n·c/4. Floating-point sound may go past full scale and be whole.
 */
function isFlattened({ run, climb, low, high }: ChannelSums): boolean {
  return run >= clippedRun && high - low < (flatPart * climb * run) / 4
}

/** Gathers the figures of a sound track from its samples, a piece at a time. */
export class SoundGauge {
  private readonly channels: ChannelSums[]
  private readonly block: Float32Array[]
  private filled = 0
  private blocks = 0
  private products: [both: number, first: number, second: number] = [0, 0, 0]
  private readonly mono: Float32Array
  private monoFilled = 0
  private readonly humPowers: { hertz: number; at: number[]; beside: number[] }[]
  private readonly clippedAt: number[] = []
  private readonly silences: { from: number; to: number }[] = []
  private silentSince: number | null = null
  /** Time of the block being filled, in seconds. */
  private time = 0

  constructor(
    private readonly sampleRate: number,
    channels: number,
  ) {
    this.channels = Array.from({ length: channels }, () => ({
      squares: [],
      clippedRuns: 0,
      run: 0,
      last: 0,
      step: 0,
      climb: 0,
      low: 0,
      high: 0,
    }))
    this.block = Array.from({ length: channels }, () => new Float32Array(Math.round(sampleRate * blockSeconds)))
    this.mono = new Float32Array(sampleRate)
    this.humPowers = mains.flatMap(base =>
      Array.from({ length: multiples }, (_, index) => ({ hertz: base * (index + 1), at: [], beside: [] })),
    )
  }

  /** Says that the samples that follow are from another place of the source. */
  jumpTo(seconds: number): void {
    this.endSilence()
    this.filled = 0
    this.monoFilled = 0
    this.time = seconds
  }

  /** @param samples one array a channel, of the same length */
  add(samples: readonly Float32Array[]): void {
    for (let index = 0; index < samples[0]!.length; index++) {
      let sum = 0
      for (let channel = 0; channel < this.channels.length; channel++) {
        const value = samples[channel]![index]!
        this.block[channel]![this.filled] = value
        sum += value
      }
      this.mono[this.monoFilled++] = sum / this.channels.length
      if (this.monoFilled === this.mono.length) this.endSecond()
      if (++this.filled === this.block[0]!.length) this.endBlock()
    }
  }

  private endBlock(): void {
    let loudest = 0
    for (const [index, channel] of this.channels.entries()) {
      let sum = 0
      for (const value of this.block[index]!) {
        sum += value * value
        const size = Math.abs(value)
        const step = Math.abs(value - channel.last)
        if (size >= fullScale) {
          if (channel.run++ === 0)
            [channel.climb, channel.low, channel.high] = [Math.max(step, channel.step), size, size]
          else [channel.low, channel.high] = [Math.min(channel.low, size), Math.max(channel.high, size)]
        } else {
          if (isFlattened(channel)) {
            channel.clippedRuns++
            if (this.clippedAt.length < 20 && (this.clippedAt.length === 0 || this.time - this.clippedAt.at(-1)! > 1))
              this.clippedAt.push(this.time)
          }
          channel.run = 0
        }
        channel.last = value
        channel.step = step
      }
      const square = sum / this.filled
      channel.squares.push(square)
      loudest = Math.max(loudest, square)
    }
    const [first, second] = this.block
    if (first && second) {
      for (let index = 0; index < this.filled; index++) {
        this.products[0] += first[index]! * second[index]!
        this.products[1] += first[index]! ** 2
        this.products[2] += second[index]! ** 2
      }
    }
    if (decibels(loudest) < silenceLevel) this.silentSince ??= this.time
    else this.endSilence()
    this.blocks++
    this.time += blockSeconds
    this.filled = 0
  }

  private endSilence(): void {
    if (this.silentSince !== null && this.time - this.silentSince >= leastSilence - 1e-6)
      this.silences.push({ from: this.silentSince, to: this.time })
    this.silentSince = null
  }

  private endSecond(): void {
    this.monoFilled = 0
    for (const hum of this.humPowers) {
      hum.at.push(powerAt(this.mono, hum.hertz, this.sampleRate))
      hum.beside.push(
        (powerAt(this.mono, hum.hertz - 6, this.sampleRate) + powerAt(this.mono, hum.hertz + 6, this.sampleRate)) / 2,
      )
    }
  }

  /** Everything gathered so far. */
  read() {
    this.endSilence()
    const minutes = (this.blocks * blockSeconds) / 60
    const placed = (values: readonly number[], part: number) =>
      [...values].sort((a, b) => a - b)[Math.floor(values.length * part)] ?? 0
    const quiet = (values: readonly number[]) => placed(values, 0.1)
    const mean = (values: readonly number[]) =>
      values.length === 0 ? 0 : values.reduce((sum, value) => sum + value, 0) / values.length
    const [both, first, second] = this.products
    const audible = this.blocks > 0 && Math.min(first, second) / (this.blocks * this.block[0]!.length) > 1e-8
    return {
      secondsMeasured: this.blocks * blockSeconds,
      channels: this.channels.map(channel => ({
        rms: decibels(mean(channel.squares)),
        floor: decibels(quiet(channel.squares)),
        clippedRunsPerMinute: minutes > 0 ? channel.clippedRuns / minutes : 0,
      })),
      correlation: audible ? both / Math.sqrt(first * second) : null,
      // What hums does so all the time: the quietest tenth of the seconds still has it.
      hum: this.humPowers.map(({ hertz, at, beside }) => ({
        hertz,
        level: decibels(quiet(at)),
        above: decibels(quiet(at)) - decibels(quiet(beside)),
        spread: decibels(placed(at, 0.9)) - decibels(quiet(at)),
      })),
      clippedAt: this.clippedAt,
      silences: this.silences,
    }
  }
}
