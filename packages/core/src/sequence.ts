import { z } from 'zod'

/** A numbered run of picture files that is one source. */
export const NumberedSequence = z.object({
  /** File name up to the number. */
  prefix: z.string(),
  /** File name after the number, with its ending. */
  suffix: z.string(),
  /** Digits the number is padded to; 0 when it is not padded. */
  padding: z.int().min(0),
  first: z.int().min(0),
  last: z.int().min(0),
  /** From one number to the next; 1 when left out. */
  step: z.int().positive().optional(),
  /** Numbers between first and last with no file, as inclusive ranges. */
  missing: z.array(z.object({ from: z.int(), to: z.int() })),
})
export type NumberedSequence = z.infer<typeof NumberedSequence>

const sequenceEndings = /\.(png|tiff?|jpe?g|exr|dpx)$/i
const numbered = /^(.*?)(\d+)(\.[^.]+)$/su

/** One frame in so many must be there, or the files are pictures of their own. */
const leastPresent = 10

/**
 * Finds numbered picture runs of at least two files in a folder's file names.
 * @returns the sequences, by name, and the names that belong to none.
 */
export function findSequences(names: readonly string[]): { sequences: NumberedSequence[]; rest: string[] } {
  const groups = new Map<string, { prefix: string; suffix: string; digits: string[]; names: string[] }>()
  const rest: string[] = []
  for (const name of names) {
    const match = sequenceEndings.test(name) ? numbered.exec(name) : null
    if (!match) {
      rest.push(name)
      continue
    }
    const [, prefix, digits, suffix] = match as unknown as [string, string, string, string]
    const key = JSON.stringify([prefix, suffix])
    const group = groups.get(key) ?? { prefix, suffix, digits: [], names: [] }
    group.digits.push(digits)
    group.names.push(name)
    groups.set(key, group)
  }
  const sequences: NumberedSequence[] = []
  for (const group of groups.values()) {
    if (group.digits.length < 2) {
      rest.push(...group.names)
      continue
    }
    const numbers = [...new Set(group.digits.map(Number))].sort((a, b) => a - b)
    const step = stepOf(numbers)
    // Dates and tape numbers are numbers too: pictures with little between them are no film.
    if (numbers.length * leastPresent < (numbers.at(-1)! - numbers[0]!) / step + 1) {
      rest.push(...group.names)
      continue
    }
    const padded = group.digits.filter(digits => digits.length > 1 && digits.startsWith('0'))
    sequences.push({
      prefix: group.prefix,
      suffix: group.suffix,
      padding:
        padded[0]?.length ??
        (new Set(group.digits.map(digits => digits.length)).size === 1 ? group.digits[0]!.length : 0),
      first: numbers[0]!,
      last: numbers.at(-1)!,
      ...(step > 1 ? { step } : {}),
      missing: gapsIn(numbers, step),
    })
  }
  sequences.sort((a, b) => (a.prefix < b.prefix ? -1 : a.prefix > b.prefix ? 1 : 0))
  return { sequences, rest }
}

/** The step in which numbers run: the largest that divides every distance; of two numbers nothing can be told. */
function stepOf(sorted: readonly number[]): number {
  if (sorted.length < 3) return 1
  const common = (a: number, b: number): number => (b === 0 ? a : common(b, a % b))
  return sorted.slice(1).reduce((step, number, index) => common(step, number - sorted[index]!), 0)
}

function gapsIn(sorted: readonly number[], step: number): { from: number; to: number }[] {
  const gaps: { from: number; to: number }[] = []
  for (let index = 1; index < sorted.length; index++) {
    const [before, here] = [sorted[index - 1]!, sorted[index]!]
    if (here > before + step) gaps.push({ from: before + step, to: here - step })
  }
  return gaps
}

/** Ranges of frame numbers: "3, 7-12". */
export function describeRanges(ranges: readonly { from: number; to: number }[]): string {
  return ranges.map(({ from, to }) => (from === to ? `${from}` : `${from}-${to}`)).join(', ')
}

/** Frame numbers as ranges. @param sorted ascending, without doubles */
export function describeFrameNumbers(sorted: readonly number[]): string {
  const ranges: { from: number; to: number }[] = []
  for (const number of sorted) {
    const open = ranges.at(-1)
    if (open && number === open.to + 1) open.to = number
    else ranges.push({ from: number, to: number })
  }
  return describeRanges(ranges)
}

/** A frame file smaller than this part of the usual one was probably not written to its end. */
const halfWritten = 0.2

/**
 * What the sizes of a sequence's frame files say is wrong with it, as sentences.
 * @param sizes bytes of each frame that is there, with its number, ascending
 */
export function sequenceRemarks(sizes: readonly { number: number; bytes: number }[]): string[] {
  const numbers = (frames: readonly { number: number }[]) => describeFrameNumbers(frames.map(frame => frame.number))
  const empty = sizes.filter(frame => frame.bytes === 0)
  const written = sizes.filter(frame => frame.bytes > 0)
  const usual = written.map(frame => frame.bytes).sort((a, b) => a - b)[Math.floor(written.length / 2)] ?? 0
  const small = written.filter(frame => frame.bytes < usual * halfWritten)
  return [
    ...(empty.length > 0
      ? [
          `${empty.length === 1 ? 'One frame is an empty file' : `${empty.length} frames are empty files`}: ${numbers(empty)}. They are probably still to be rendered.`,
        ]
      : []),
    // Where many are small, pictures simply differ.
    ...(small.length > 0 && small.length <= Math.max(2, sizes.length * 0.05)
      ? [
          `${small.length === 1 ? 'One frame file is' : `${small.length} frame files are`} less than a fifth of the usual size: ${numbers(small)}. They may be half written.`,
        ]
      : []),
  ]
}

/** Number of frames from the first to the last, whether they are there or not. */
export function framesSpanned({ first, last, step = 1 }: NumberedSequence): number {
  return (last - first) / step + 1
}

/** Number of frames that are there. */
export function framesPresent(sequence: NumberedSequence): number {
  return (
    framesSpanned(sequence) -
    sequence.missing.reduce((sum, gap) => sum + (gap.to - gap.from) / (sequence.step ?? 1) + 1, 0)
  )
}

/** Numbers of the frames that are there, ascending. */
export function* presentNumbers({ first, last, step = 1, missing }: NumberedSequence): Generator<number> {
  let gap = 0
  for (let number = first; number <= last; number += step) {
    if (gap < missing.length && number >= missing[gap]!.from) number = missing[gap++]!.to
    else yield number
  }
}

/** Number of the file that stands for a frame: its own, or the last before it that is there. @param index of the frame, from 0 */
export function standInNumber({ first, step = 1, missing }: NumberedSequence, index: number): number {
  const number = first + index * step
  const gap = missing.find(range => number >= range.from && number <= range.to)
  return gap ? gap.from - step : number
}

/** Frames that are missing, as stretches counted from 0. */
export function missingFrames({ first, step = 1, missing }: NumberedSequence): { from: number; to: number }[] {
  return missing.map(({ from, to }) => ({ from: (from - first) / step, to: (to - first) / step }))
}

/** How a sequence that is still being rendered comes along. */
export const Arriving = z.object({
  /** Time between two frames, by the middle one of the latest. */
  secondsPerFrame: z.number().positive(),
  /** When the newest frame came. */
  lastAt: z.iso.datetime(),
  /** Distances that the pace was taken from. */
  from: z.int().positive(),
})
export type Arriving = z.infer<typeof Arriving>

/** Frames whose times the pace is taken from. */
const paceFrames = 50
/** A sequence whose newest frame is older than so many of its frame times has stopped, however slow it was. */
const patienceFrames = 20
const leastPatienceSeconds = 10

/**
 * The pace at which frames come, when they still do.
 * @param times when each frame was written, in milliseconds, ascending by frame
 * @returns null when nothing came lately, or all came at once (a copy)
 */
export function arrivalOf(times: readonly number[], now: number): Arriving | null {
  const latest = [...times].sort((a, b) => a - b).slice(-paceFrames - 1)
  const distances = latest
    .slice(1)
    .map((time, index) => (time - latest[index]!) / 1000)
    .sort((a, b) => a - b)
  const secondsPerFrame = distances[Math.floor(distances.length / 2)] ?? 0
  const last = latest.at(-1)
  // Frames that were copied come many a second; a renderer that is as quick is done before anybody asks.
  if (last === undefined || distances.length < 3 || secondsPerFrame < 0.1) return null
  if ((now - last) / 1000 > Math.max(leastPatienceSeconds, secondsPerFrame * patienceFrames)) return null
  return { secondsPerFrame, lastAt: new Date(last).toISOString(), from: distances.length }
}

/** When the last frame will be there, in milliseconds, at the pace at which they come. @param expectedLast its number */
export function completeAt(
  sequence: Pick<NumberedSequence, 'last' | 'step'>,
  expectedLast: number,
  arriving: Arriving,
): number {
  const left = Math.max(0, (expectedLast - sequence.last) / (sequence.step ?? 1))
  return Date.parse(arriving.lastAt) + left * arriving.secondsPerFrame * 1000
}

/** Name of one frame's file. */
export function frameFileName(sequence: NumberedSequence, number: number): string {
  return `${sequence.prefix}${String(number).padStart(sequence.padding, '0')}${sequence.suffix}`
}

/** "render-[0001-0072].png": one line that stands for the run. */
export function describeSequence(sequence: NumberedSequence): string {
  const pad = (number: number) => String(number).padStart(sequence.padding, '0')
  return `${sequence.prefix}[${pad(sequence.first)}-${pad(sequence.last)}${(sequence.step ?? 1) > 1 ? ` by ${sequence.step}` : ''}]${sequence.suffix}`
}
