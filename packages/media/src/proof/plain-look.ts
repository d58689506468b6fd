import path from 'node:path'
import {
  frameFileName,
  presentNumbers,
  toNumber,
  type PlainLook,
  type PlainSound,
  type Region,
  type SourceStretch,
  type SourceFacts,
} from '@hematine/core'
import { AV_FRAME_DATA_DISPLAYMATRIX, AV_PKT_DATA_DISPLAYMATRIX } from 'node-av/constants'
import { Frame } from 'node-av/lib'
import { audioPadOf, Graph } from '../ground/graph.ts'
import { openInput } from '../reading/input.ts'
import type { MediaInput, PlainInput } from '../ground/media-input.ts'
import type { Glancer } from '../measuring/measure-picture.ts'
import type { WorkGate } from '../ground/gate.ts'
import { decodePlainly } from './plain-decode.ts'
import { thumbnailOf } from './thumbnail.ts'

/** Pictures kept to be compared, at most: one for each stretch of time, which doubles when there are more. */
const mostPictures = 64
const firstStretch = 0.25
/** Samples a second in which sound is kept for comparing, and the seconds of it that are. */
export const envelopeRate = 2000
/** More than filters that make it of other rates hold back, in seconds. */
const filtersHold = 0.1
const mostSoundSeconds = 1800

/** Pictures at even distances of time, however many there turn out to be. */
export class SpreadPictures {
  stretch = firstStretch
  kept = new Map<number, { seconds: number; picture: Uint8Array }>()

  get pictures(): PlainLook['samples'] {
    return [...this.kept.values()].map(({ seconds, picture }) => ({ seconds, picture: [...picture] }))
  }

  add(seconds: number, picture: Uint8Array): void {
    const place = Math.round(seconds / this.stretch)
    if (Math.abs(seconds - place * this.stretch) > this.stretch / 2 || this.kept.has(place)) return
    this.kept.set(place, { seconds, picture })
    while (this.kept.size > mostPictures) {
      this.stretch *= 2
      this.kept = new Map([...this.kept].filter(([old]) => old % 2 === 0).map(([old, entry]) => [old / 2, entry]))
    }
  }
}

/** Mean of the absolute differences of two pictures, in codes. */
export function changeBetween(before: Uint8Array, now: Uint8Array): number {
  let sum = 0
  for (let index = 0; index < now.length; index++) sum += Math.abs(now[index]! - before[index]!)
  return sum / now.length
}

function meanOf(picture: Uint8Array): number {
  let sum = 0
  for (const value of picture) sum += value
  return sum / picture.length
}

/** A stretch of a source that is looked at, and what of it is kept; seconds in the container of its first picture, and pictures a second. */
export interface LookedAt extends SourceStretch {
  kept: SourceStretch
  zero: number
  rate: number
}

/** Looks at the pictures of a stream one after the other: how bright each is and how far it differs from the one before. */
export class PictureLook {
  readonly found: PlainLook = {
    pictures: 0,
    errors: 0,
    repeatsAtEnd: 0,
    seconds: [],
    mean: [],
    change: [],
    samples: [],
    signs: null,
  }
  private readonly spread = new SpreadPictures()
  private before: Uint8Array | null = null
  private first: number | null
  /** The first and the last of them at 32x32 points; null where there is none, or its samples are not read. */
  readonly ends: { first: Uint8Array | null; last: Uint8Array | null } = { first: null, last: null }

  /**
   * @param glancer looks at some of them on the way @param within the part of the frame that is looked at; all of it unless said
   * @param begin of a stretch of a result: the number of its first picture, counted and timed from the result's first one
   */
  constructor(
    private readonly glancer: Glancer | null,
    private readonly within: Region | null,
    private readonly begin: number | null = null,
    private readonly stretch: LookedAt | null = null,
  ) {
    this.first = begin === null ? null : 0
  }

  /** Takes a look at the next picture. @param seconds that it is shown at; null where nobody says @returns it at 32x32 points; null where its samples are not read */
  async see(frame: Frame, seconds: number | null): Promise<Uint8Array | null> {
    const { found } = this
    const { stretch } = this
    // Of a stretch, what is kept is looked at closely.
    const number =
      stretch && seconds !== null
        ? Math.round((seconds - stretch.zero - stretch.kept.from) * stretch.rate)
        : (this.begin ?? 0) + found.seconds.length
    if (number >= 0) await this.glancer?.see(frame, number)
    if (stretch && seconds !== null && found.begins === undefined) found.begins = seconds - stretch.zero
    this.first ??= stretch?.zero ?? seconds
    found.signs ??= matrixSigns(frame.getSideData(AV_FRAME_DATA_DISPLAYMATRIX))
    const picture = thumbnailOf(frame, this.within)
    if (found.seconds.length === 0) this.ends.first = picture
    this.ends.last = picture
    found.seconds.push(seconds)
    found.mean.push(picture ? meanOf(picture) : -1)
    found.change.push(picture && this.before ? changeBetween(this.before, picture) : -1)
    if (picture && seconds !== null) this.spread.add(seconds - this.first!, picture)
    this.before = picture
    return picture
  }

  /** What was seen, of so many pictures. */
  end(): PlainLook {
    this.found.samples = this.spread.pictures
    return this.found
  }
}

/**
 * Decodes a picture plainly and whole: how many pictures it gave, when, how bright each was and how far it differed from the one before.
 * @param most pictures after which it ends; all unless said
 * @param glancer looks at some of them on the way
 * @param within the part of the frame that is looked at; all of it unless said
 * @param stretch of the source that is looked at; all of it unless said
 */
export async function lookPlainly(
  input: MediaInput,
  streamOf: (part: number) => number,
  gate: WorkGate,
  onProgress: (pictures: number) => void,
  most = Number.POSITIVE_INFINITY,
  glancer: Glancer | null = null,
  within: Region | null = null,
  stretch: LookedAt | null = null,
): Promise<PlainLook> {
  const look = new PictureLook(glancer, within, null, stretch)
  const { found } = look
  let begin = 0
  const parts: PlainInput[] = input.kind === 'join' ? input.parts.map(part => part.input) : [input]
  for (const [index, part] of parts.entries()) {
    if (part.kind === 'sequence') {
      const numbers = [...presentNumbers(part.sequence)]
      found.pictures += numbers.length
      for (const [place, number] of numbers.entries())
        if (glancer?.wants(place)) await glanceAt(part, number, place, glancer, gate)
      continue
    }
    found.signs ??= await signsOf(part, streamOf(index))
    // Where a part begins in its own time; parts of a join are put one after the other.
    let zero: number | null = null
    const see = async (frame: Frame, stated: number | null) => {
      if (stretch && stated !== null && stated - stretch.zero >= stretch.to) {
        found.goesOn = true
        return false
      }
      zero ??= stated
      await look.see(frame, stated === null ? null : input.kind === 'join' ? begin + stated - zero! : stated)
      onProgress(found.seconds.length)
      return found.seconds.length < most
    }
    const from = stretch ? stretch.zero + stretch.from : null
    const decoded = await decodePlainly(part, streamOf(index), gate, see, from)
    // The one that ended the reading is none of them.
    found.pictures += Math.min(decoded.frames, found.seconds.length)
    found.errors += decoded.errors
    found.repeatsAtEnd = decoded.repeatsAtEnd
    if (input.kind === 'join') begin += input.parts[index]!.seconds
  }
  return look.end()
}

/** Shows one picture of a sequence to what looks closely. */
async function glanceAt(
  { directory, sequence }: Extract<PlainInput, { kind: 'sequence' }>,
  number: number,
  place: number,
  glancer: Glancer,
  gate: WorkGate,
): Promise<void> {
  const file: PlainInput = { kind: 'file', path: path.join(directory, frameFileName(sequence, number)) }
  await decodePlainly(file, 0, gate, async frame => {
    await glancer.see(frame, place)
    return false
  })
}

/** How a picture is turned, as its file says. */
export async function signsOf(input: PlainInput, streamIndex: number): Promise<PlainLook['signs']> {
  const container = await openInput(input)
  try {
    return matrixSigns(container.streams[streamIndex]?.codecpar.getCodedSideData(AV_PKT_DATA_DISPLAYMATRIX) ?? null)
  } finally {
    await container.closeInput()
  }
}

/** The first four factors of a display matrix, as signs. */
export function matrixSigns(data: Buffer | null): PlainLook['signs'] {
  if (!data || data.length < 36) return null
  return [
    Math.sign(data.readInt32LE(0)),
    Math.sign(data.readInt32LE(4)),
    Math.sign(data.readInt32LE(12)),
    Math.sign(data.readInt32LE(16)),
  ]
}

/**
 * Decodes a sound track plainly and whole: how much of it there is, when it begins and ends, how loud each channel is, and a coarse copy for comparing.
 * @param counts whether what lies between two times in seconds counts for how loud it is; all does unless said
 * @param stretch of the source that is listened to; all of it unless said
 */
export async function listenPlainly(
  input: MediaInput,
  streamOf: (part: number) => number,
  zero: number,
  gate: WorkGate,
  counts: (from: number, to: number) => boolean = () => true,
  stretch: SourceStretch | null = null,
): Promise<PlainSound> {
  const heard: PlainSound = {
    ...(stretch ? { begins: stretch.from } : {}),
    seconds: 0,
    first: null,
    last: null,
    errors: 0,
    sampleRate: 0,
    channels: 0,
    loudness: [],
    rate: envelopeRate,
    coarse: [],
  }
  const parts: PlainInput[] = input.kind === 'join' ? input.parts.map(part => part.input) : [input]
  const coarse: number[][] = []
  const squares: number[] = []
  let samples = 0
  let isCounted = true
  let begin = 0
  const taken = new Frame()
  taken.alloc()
  for (const [index, part] of parts.entries()) {
    let graph: Graph | null = null
    let pad: ReturnType<typeof audioPadOf> | null = null
    const collect = async () => {
      while (graph && (await graph.pull(taken)) === 'frame') {
        const channels = taken.channelLayout.nbChannels
        // Side by side: of more than eight channels the binding cannot read planes.
        const [plane] = taken.data!
        const values = new Float32Array(plane!.buffer, plane!.byteOffset, taken.nbSamples * channels)
        for (let channel = 0; channel < channels; channel++) {
          const kept = (coarse[channel] ??= [])
          let sum = 0
          for (let at = channel; at < values.length; at += channels) {
            const value = values[at]!
            sum += value * value
            if (channel < 2 && kept.length < mostSoundSeconds * envelopeRate) kept.push(value)
          }
          squares[channel] = (squares[channel] ?? 0) + (isCounted ? sum : 0)
        }
        samples += isCounted ? taken.nbSamples : 0
        taken.unref()
      }
    }
    try {
      const from = stretch ? zero + stretch.from : null
      const listen = async (frame: Frame, stated: number | null) => {
        const length = frame.nbSamples / Math.max(1, frame.sampleRate)
        const at =
          stated === null
            ? (heard.last ?? 0)
            : input.kind === 'join'
              ? begin + stated - (input.parts[index]!.picture?.zeroSeconds ?? 0)
              : stated - zero
        if (stretch && at >= stretch.to) return false
        if (stretch && at + length <= stretch.from) return true
        const left = stretch ? Math.max(0, Math.round((stretch.from - at) * frame.sampleRate)) : 0
        // Filters hold a little back, so that what comes out at an edge is from either side of it.
        isCounted = counts(at - filtersHold, at + length + filtersHold)
        heard.first ??= at + left / frame.sampleRate
        heard.last = Math.max(heard.last ?? at, at + length)
        heard.seconds += length - left / frame.sampleRate
        heard.sampleRate ||= frame.sampleRate
        heard.channels ||= frame.channelLayout.nbChannels
        const now = audioPadOf(frame, { num: 1, den: frame.sampleRate })
        // Sound that changes its shape goes through filters of its own.
        if (
          !graph ||
          !pad ||
          pad.format !== now.format ||
          pad.sampleRate !== now.sampleRate ||
          pad.channelMask !== now.channelMask
        ) {
          if (graph) {
            await graph.push(null)
            await collect()
            graph.free()
          }
          pad = now
          graph = await Graph.audio(
            `${left > 0 ? `atrim=start_sample=${left},` : ''}asetpts=N/SR/TB,aresample=${envelopeRate},aformat=sample_fmts=flt:sample_rates=${envelopeRate}`,
            now,
          )
        }
        await graph.push(frame)
        await collect()
        return true
      }
      const decoded = await decodePlainly(part, streamOf(index), gate, listen, from)
      heard.errors += decoded.errors
      await (graph as Graph | null)?.push(null)
      await collect()
    } finally {
      ;(graph as Graph | null)?.free()
    }
    if (input.kind === 'join') begin += input.parts[index]!.seconds
  }
  taken.free()
  heard.loudness = squares.map(sum => (samples === 0 ? -120 : Math.max(-120, 10 * Math.log10(sum / samples + 1e-12))))
  heard.coarse = coarse.slice(0, 2)
  return heard
}

/** Which stream of each part a source's picture or track is. */
export function streamsOf(input: MediaInput, facts: SourceFacts, what: 'picture' | number): (part: number) => number {
  if (input.kind === 'join')
    return part => (what === 'picture' ? input.parts[part]!.picture!.stream : input.parts[part]!.sound[what]!)
  return () => (what === 'picture' ? facts.video!.streamIndex : facts.audio[what]!.streamIndex)
}

/** Seconds of a picture's first frame in its container. */
export function zeroOf({ video }: Pick<SourceFacts, 'video'>): number {
  return video ? video.startTicks * toNumber(video.timeBase) : 0
}
