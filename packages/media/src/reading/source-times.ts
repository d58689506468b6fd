import {
  divide,
  equal,
  findCourses,
  pictureCourse,
  rational,
  toNumber,
  type Courses,
  type PacketColumn,
  type PictureCourse,
  type Rational,
  type SourceFacts,
  type VideoFacts,
} from '@hematine/core'
import type { FormatContext, Stream } from 'node-av/lib'
import { openInput } from './input.ts'
import { isWithoutTimes, readPackets, type PacketPass } from './packet-pass.ts'

/** Files up to this size are counted while their facts are read; of larger ones so much is read, and the rest when they are measured. */
export const countedAtOnce = 32e6
/** Files up to this size are counted when they are measured; streams without times, of which nothing else is known, at once. */
export const countedInAll = 4e9

export type Each = (part: number) => Promise<void>

/** What the packets of a source say of its streams in time. */
interface Times extends Courses {
  columns: readonly PacketColumn[]
  isComplete: boolean
  picture: PictureCourse | null
  /** Time of the earliest packet of sound, and of the picture's first, in seconds of the container. */
  zero: number
}

/**
 * Brings what packets say into a source's facts: rate, constancy, gaps, repeats and jumps, and, when all were read, the number of pictures and the length.
 * @param container opened, at its beginning; it is read through
 * @param stated rates that the container gives
 */
export async function withTimes(
  container: FormatContext,
  facts: SourceFacts,
  stated: readonly Rational[],
  mostBytes: number,
  each?: Each,
): Promise<SourceFacts> {
  const pass = await readPackets(container, facts.video?.streamIndex ?? null, mostBytes, facts.bytes, each)
  return inTime(facts, judge(pass, facts, container, stated))
}

/** What the packets of a source say of time, without decoding anything. */
export interface PacketTimes {
  /** Times of the picture's packets from the start of the source, sorted, in seconds. */
  pictureSeconds: number[]
  /** Time at which each stream's last packet ends, by stream index; a stream is missing when its end was not reached. */
  endSeconds: Map<number, number>
}

/**
 * Reads all packets of a file: their times, and its facts with what follows from them.
 * @returns null for a file that is larger than `mostBytes`
 * @throws whatever `each` does, when stopped
 */
export async function readTimes(
  file: string,
  facts: SourceFacts,
  mostBytes: number,
  each?: Each,
): Promise<{ facts: SourceFacts; times: PacketTimes } | null> {
  if (facts.bytes > mostBytes) return null
  const container = await openInput({ kind: 'file', path: file })
  try {
    const { video } = facts
    const pass = await readPackets(container, video?.streamIndex ?? null, Number.POSITIVE_INFINITY, facts.bytes, each)
    const stream = video && container.streams[video.streamIndex]
    const times = judge(pass, facts, container, stream ? statedRates(stream) : [])
    const counted = inTime(facts, times)
    const zero = counted.video
      ? (counted.video.startTicks * counted.video.timeBase.num) / counted.video.timeBase.den
      : times.zero
    return { facts: counted, times: packetTimes(times, video?.streamIndex, zero) }
  } finally {
    await container.closeInput()
  }
}

/** Rates that a container states for a stream. */
export function statedRates(stream: Stream): Rational[] {
  return [stream.avgFrameRate, stream.rFrameRate]
    .filter(rate => rate.num > 0 && rate.den > 0)
    .map(({ num, den }) => ({ num, den }))
}

function packetTimes({ columns, seconds }: Times, pictureStream: number | undefined, zero: number): PacketTimes {
  const endSeconds = new Map<number, number>()
  let pictureSeconds: number[] = []
  for (const column of columns) {
    const end = endOf({ columns, seconds }, column.stream)
    if (end !== null) endSeconds.set(column.stream, end - zero)
    if (column.stream === pictureStream)
      pictureSeconds = seconds
        .get(column.stream)!
        .flatMap((at, index) => (at === null || column.shows[index] === 'hidden' ? [] : [at - zero]))
        .sort((a, b) => a - b)
  }
  return { pictureSeconds, endSeconds }
}

/** AVI has no times: what is missing in its count are chunks without data, which its reader passes over. */
const passesOverEmpty = 'avi'

function judge(
  { columns, isComplete }: PacketPass,
  { video }: SourceFacts,
  container: FormatContext,
  stated: readonly Rational[],
): Times {
  const withoutTimes = isWithoutTimes(container)
  const made = new Map(withoutTimes && video ? [[video.streamIndex, 1 / toNumber(video.frameRate)] as const] : [])
  const courses = findCourses(columns, made)
  const column = columns.find(entry => entry.stream === video?.streamIndex)
  const picture = column
    ? pictureCourse(
        column,
        courses.seconds.get(column.stream)!,
        withoutTimes && video ? [video.frameRate] : stated,
        container.iformat?.name === passesOverEmpty,
      )
    : null
  const firsts = [...courses.seconds.values()].flatMap(times => times.find(at => at !== null) ?? [])
  return { ...courses, columns, isComplete, picture, zero: firsts.length > 0 ? Math.min(...firsts) : 0 }
}

function inTime(facts: SourceFacts, times: Times): SourceFacts {
  const { picture, isComplete } = times
  const video =
    facts.video && picture
      ? pictureInTime(
          facts.video,
          picture,
          isComplete,
          times.courses.some(course => course.step !== null),
        )
      : facts.video
  const zero = video ? (video.startTicks * video.timeBase.num) / video.timeBase.den : times.zero
  const audio = facts.audio.map(track => {
    const first = times.seconds.get(track.streamIndex)?.find(at => at !== null)
    if (first === undefined || first === null) return track
    const end = isComplete ? endOf(times, track.streamIndex) : null
    return {
      ...track,
      startSeconds: Number((first - zero).toFixed(4)),
      ...(end === null ? {} : { endSeconds: Number((end - zero).toFixed(4)) }),
    }
  })
  const durationSeconds = video
    ? (lengthOf(video, picture, isComplete) ?? facts.durationSeconds)
    : isComplete
      ? soundLength(times, facts)
      : facts.durationSeconds
  return {
    ...facts,
    video,
    audio,
    durationSeconds,
    ...(isComplete
      ? {
          promised: facts.promised ?? {
            frames: facts.video?.frameCountFrom === 'container' ? facts.video.frameCount : null,
            seconds: facts.durationSeconds,
          },
        }
      : {}),
    bitsPerSecond: durationSeconds ? (facts.bytes * 8) / durationSeconds : facts.bitsPerSecond,
    ...(times.jumps.length > 0 ? { jumps: times.jumps } : {}),
    ...(times.courses.length > 0 ? { courses: times.courses } : {}),
  }
}

/** @param isMade whether its times are made up from the rate that its stream states */
function pictureInTime(video: VideoFacts, course: PictureCourse, isComplete: boolean, isMade: boolean): VideoFacts {
  // Two packets a frame, a field each, decode to half as many pictures.
  const isInFields =
    video.scan.kind === 'interlaced' &&
    !isMade &&
    Math.abs(toNumber(course.rate) / toNumber(video.frameRate) - 2) < 0.02
  const per = isInFields ? 2 : 1
  const rate = isMade ? video.frameRate : divide(course.rate, rational(per))
  const known = { ...video, ...(isMade ? { startTicks: 0 } : {}), frameRate: rate, rateIs: course.rateIs }
  if (!isComplete) return known
  return {
    ...known,
    averageRate: course.averageRate / per,
    frameCount: Math.round(course.frames / per),
    frameCountFrom: 'packets',
    slots: Math.round(course.slots / per),
    ...(course.repeats > 0 ? { repeats: course.repeats } : {}),
    ...(course.gaps.count > 0 ? { gaps: course.gaps } : {}),
  }
}

function lengthOf(video: VideoFacts, course: PictureCourse | null, isComplete: boolean): number | null {
  if (!course || !isComplete) return null
  return video.rateIs === 'constant' || equal(video.frameRate, course.rate) === false
    ? (video.slots ?? video.frameCount) / toNumber(video.frameRate)
    : course.seconds
}

/** When the last packet of a stream ends, in seconds of the container; null when none has a time. */
function endOf({ columns, seconds }: Pick<Times, 'columns' | 'seconds'>, stream: number): number | null {
  const column = columns.find(entry => entry.stream === stream)!
  const unit = toNumber(column.timeBase)
  let end: number | null = null
  for (const [index, at] of seconds.get(stream)!.entries())
    if (at !== null && column.shows[index] !== 'hidden') end = Math.max(end ?? at, at + column.duration[index]! * unit)
  return end
}

/** Length of sound without a picture, by its packets where the container's word is far from it. */
function soundLength(times: Times, { durationSeconds }: SourceFacts): number | null {
  const { zero } = times
  const length = Math.max(zero, ...times.columns.map(column => endOf(times, column.stream) ?? zero)) - zero
  if (length <= 0) return durationSeconds
  return durationSeconds !== null && Math.abs(length / durationSeconds - 1) < 0.01 ? durationSeconds : length
}
