import path from 'node:path'
import { describeRanges, frameFileName, type NumberedSequence, type Rational } from '@hematine/core'
import { AVDISCARD_ALL, AVDISCARD_DEFAULT } from 'node-av/constants'
import { FormatContext, InputFormat } from 'node-av/lib'
import { ensure, MediaError, options } from './libav.ts'

/** Where a source's bytes are: one file, or a numbered run of pictures in a directory. Paths are absolute. */
export type MediaInput =
  | { kind: 'file', path: string }
  | { kind: 'sequence', directory: string, sequence: NumberedSequence, frameRate: Rational }

/** Formats that only point at other files or addresses, or that accept any text: never opened as a source. */
const refusedFormats = new Set(['hls', 'dash', 'concat', 'sdp', 'rtsp', 'imf', 'tty', 'lavfi', 'ffmetadata', 'data'])

/** Path of the file that stands for an input: itself, or a sequence's first frame. */
export function representativeFile(input: MediaInput): string {
  return input.kind === 'file' ? input.path : path.join(input.directory, frameFileName(input.sequence, input.sequence.first))
}

/**
 * Opens an input for reading and finds its streams. Only local files are ever followed.
 * @throws MediaError when it cannot be opened or holds nothing
 */
export async function openInput(input: MediaInput): Promise<FormatContext> {
  const context = new FormatContext()
  const settings: Record<string, string | number> = { protocol_whitelist: 'file', probesize: 20_000_000, analyzeduration: 20_000_000 }
  let url: string
  let format: InputFormat | null = null
  if (input.kind === 'file') {
    url = input.path
  } else {
    const { sequence } = input
    if (sequence.missing.length > 0) {
      throw new MediaError(`Frames ${describeRanges(sequence.missing)} of the sequence are missing. Add them to the folder and bring the sequence in again.`)
    }
    format = InputFormat.findInputFormat('image2')
    const escape = (text: string) => text.replaceAll('%', '%%')
    url = path.join(escape(input.directory), `${escape(sequence.prefix)}%${sequence.padding > 0 ? `0${sequence.padding}` : ''}d${escape(sequence.suffix)}`)
    settings.framerate = `${input.frameRate.num}/${input.frameRate.den}`
    settings.start_number = sequence.first
    settings.pattern_type = 'sequence'
  }
  const dictionary = options(settings)
  try {
    ensure(await context.openInput(url, format, dictionary), 'The file cannot be opened')
    const name = context.iformat?.name ?? ''
    if (name.split(',').some(part => refusedFormats.has(part))) throw new MediaError('The file is not media: it is text or only points at other files.')
    ensure(await context.findStreamInfo(null), 'The streams of the file cannot be read')
    if (context.nbStreams === 0) throw new MediaError('The file holds no picture and no sound.')
  } catch (error) {
    await context.closeInput().catch(() => undefined)
    throw error
  } finally {
    dictionary.free()
  }
  return context
}

/** Tells the reader to hand out the packets of one stream only. */
export function keepOnlyStream(context: FormatContext, streamIndex: number): void {
  for (const stream of context.streams) stream.discard = stream.index === streamIndex ? AVDISCARD_DEFAULT : AVDISCARD_ALL
}
