import { setFlagsFromString } from 'node:v8'
import {
  AVERROR_DECODER_NOT_FOUND,
  AVERROR_DEMUXER_NOT_FOUND,
  AVERROR_EACCES,
  AVERROR_EAGAIN,
  AVERROR_EINVAL,
  AVERROR_EIO,
  AVERROR_ENOENT,
  AVERROR_ENOMEM,
  AVERROR_ENOSPC,
  AVERROR_EOF,
  AVERROR_INVALIDDATA,
  AVERROR_PATCHWELCOME,
  AVERROR_STREAM_NOT_FOUND,
  AV_LOG_QUIET,
} from 'node-av/constants'
import { Dictionary, Log } from 'node-av/lib'

/** A failure of media work. `message` is a sentence for the technician; `code` the library's own, where it gave one. */
export class MediaError extends Error {
  constructor(
    message: string,
    readonly code: number | null = null,
  ) {
    super(message)
    this.name = 'MediaError'
  }

  /** Whether the disk was full. */
  get isDiskFull(): boolean {
    return this.code === AVERROR_ENOSPC
  }

  /** Whether a file was not there, or its disk gave no answer that makes sense: both pass when a disk comes back. */
  get isAway(): boolean {
    return this.code === AVERROR_ENOENT || this.code === AVERROR_EIO
  }
}

const reasons = new Map<number, string>([
  [AVERROR_INVALIDDATA, 'the data is damaged or of another kind than it claims'],
  [AVERROR_EOF, 'the file ends too early'],
  [AVERROR_ENOSPC, 'the disk is full'],
  [AVERROR_ENOENT, 'the file is not there'],
  [AVERROR_EACCES, 'the file may not be read or written'],
  [AVERROR_EIO, 'the disk gave an error'],
  [AVERROR_ENOMEM, 'memory ran out'],
  [AVERROR_EINVAL, 'a setting does not fit this material'],
  [AVERROR_DECODER_NOT_FOUND, 'no decoder for it is built in'],
  [AVERROR_DEMUXER_NOT_FOUND, 'no reader for its format is built in'],
  [AVERROR_STREAM_NOT_FOUND, 'it holds no such stream'],
  [AVERROR_PATCHWELCOME, 'it uses a feature that the media libraries do not support'],
])

/** Why a library call failed, as the end of a sentence. */
export function reasonFor(code: number): string {
  return reasons.get(code) ?? `the media library gave error ${code}`
}

/**
 * Passes a library result through, or throws when it is an error.
 * @param doing what was being done, as the start of a sentence: "The file cannot be opened"
 * @throws MediaError
 */
export function ensure(code: number, doing: string): number {
  if (code < 0) throw new MediaError(`${doing}: ${reasonFor(code)}.`, code)
  return code
}

/** Whether a result means "nothing now", which is not a failure. */
export const isAgain = (code: number) => code === AVERROR_EAGAIN
/** Whether a result means the end of a stream, which is not a failure. */
export const isEnd = (code: number) => code === AVERROR_EOF

/** Library options from plain values. The caller frees the dictionary. */
export function options(values: Record<string, string | number>): Dictionary {
  return Dictionary.fromObject(values)
}

/** How far the engine's heap may grow between two collections, in per cent of what is left after one. */
const heapGrowth = 400

/**
 * Run once by a process that works with the libraries. It keeps them from writing to standard error; failures are reported by their results.
 *
 * And it lets the heap grow further between collections than the engine would. Frames on their way count as the heap's, although they are not: beside the
 * little that a child keeps, a handful of them seems much, so that everything was gone through anew every few frames, for a fifth of a job's processor time and more
 * (docs/measurements.md, "Collections of the heap").
 */
export function setUpLibraries(): void {
  Log.setLevel(AV_LOG_QUIET)
  setFlagsFromString(`--heap-growing-percent=${heapGrowth}`)
}
