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
  /** Numbers between first and last with no file, as inclusive ranges. */
  missing: z.array(z.object({ from: z.int(), to: z.int() })),
})
export type NumberedSequence = z.infer<typeof NumberedSequence>

const sequenceEndings = /\.(png|tiff?|jpe?g|exr|dpx)$/i
const numbered = /^(.*?)(\d+)(\.[^.]+)$/su

/**
 * Finds numbered picture runs of at least two files in a folder's file names.
 * @returns the sequences, by name, and the names that belong to none.
 */
export function findSequences(names: readonly string[]): { sequences: NumberedSequence[], rest: string[] } {
  const groups = new Map<string, { prefix: string, suffix: string, digits: string[], names: string[] }>()
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
    const padded = group.digits.filter(digits => digits.length > 1 && digits.startsWith('0'))
    sequences.push({
      prefix: group.prefix,
      suffix: group.suffix,
      padding: padded[0]?.length ?? (new Set(group.digits.map(digits => digits.length)).size === 1 ? group.digits[0]!.length : 0),
      first: numbers[0]!,
      last: numbers.at(-1)!,
      missing: gapsIn(numbers),
    })
  }
  sequences.sort((a, b) => a.prefix < b.prefix ? -1 : a.prefix > b.prefix ? 1 : 0)
  return { sequences, rest }
}

function gapsIn(sorted: readonly number[]): { from: number, to: number }[] {
  const gaps: { from: number, to: number }[] = []
  for (let index = 1; index < sorted.length; index++) {
    const [before, here] = [sorted[index - 1]!, sorted[index]!]
    if (here > before + 1) gaps.push({ from: before + 1, to: here - 1 })
  }
  return gaps
}

/** Ranges of frame numbers: "3, 7-12". */
export function describeRanges(ranges: readonly { from: number, to: number }[]): string {
  return ranges.map(({ from, to }) => from === to ? `${from}` : `${from}-${to}`).join(', ')
}

/** Frame numbers as ranges. @param sorted ascending, without doubles */
export function describeFrameNumbers(sorted: readonly number[]): string {
  const ranges: { from: number, to: number }[] = []
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
export function sequenceRemarks(sizes: readonly { number: number, bytes: number }[]): string[] {
  const numbers = (frames: readonly { number: number }[]) => describeFrameNumbers(frames.map(frame => frame.number))
  const empty = sizes.filter(frame => frame.bytes === 0)
  const written = sizes.filter(frame => frame.bytes > 0)
  const usual = written.map(frame => frame.bytes).sort((a, b) => a - b)[Math.floor(written.length / 2)] ?? 0
  const small = written.filter(frame => frame.bytes < usual * halfWritten)
  return [
    ...(empty.length > 0 ? [`${empty.length === 1 ? 'One frame is an empty file' : `${empty.length} frames are empty files`}: ${numbers(empty)}. They are probably still to be rendered.`] : []),
    // Where many are small, pictures simply differ.
    ...(small.length > 0 && small.length <= Math.max(2, sizes.length * 0.05) ? [`${small.length === 1 ? 'One frame file is' : `${small.length} frame files are`} less than a fifth of the usual size: ${numbers(small)}. They may be half written.`] : []),
  ]
}

/** Number of frames that are there. */
export function framesPresent(sequence: NumberedSequence): number {
  return sequence.last - sequence.first + 1 - sequence.missing.reduce((sum, gap) => sum + gap.to - gap.from + 1, 0)
}

/** Name of one frame's file. */
export function frameFileName(sequence: NumberedSequence, number: number): string {
  return `${sequence.prefix}${String(number).padStart(sequence.padding, '0')}${sequence.suffix}`
}

/** "render-[0001-0072].png": one line that stands for the run. */
export function describeSequence(sequence: NumberedSequence): string {
  const pad = (number: number) => String(number).padStart(sequence.padding, '0')
  return `${sequence.prefix}[${pad(sequence.first)}-${pad(sequence.last)}]${sequence.suffix}`
}
