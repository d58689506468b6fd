import path from 'node:path'
import type { Course, DiscTitle, JoinPart, NumberedSequence, Rational } from '@hematine/core'
import { AVDISCARD_ALL, AVDISCARD_DEFAULT, AVFMT_FLAG_CUSTOM_IO, AVFMT_FLAG_GENPTS } from 'node-av/constants'
import { FormatContext, InputFormat } from 'node-av/lib'
import { ensure, MediaError, options } from './libav.ts'
import { TitleReader } from './title-reader.ts'

/** A title of a disc: which bytes of which files are played in which order, and what the disc's tables say of them. */
export interface TitleInput extends Pick<DiscTitle, 'aspect' | 'audio' | 'subtitles' | 'chapters'> {
  kind: 'title'
  disc: string
  title: number
  angle: number
  /** In playing order; each lies within one cell. `at` and `bytes` count bytes of the file. */
  parts: { path: string, at: number, bytes: number }[]
  /** Byte of the title at which each cell begins, when it is played, and by how many ticks of 1/90000 s its times are moved. */
  cells: { at: number, seconds: number, shift: number }[]
  /** Length by the times in the picture data. */
  seconds: number
  /** Runs of bytes of a file that could not be read from the disc and were filled with noughts. */
  unreadable: { path: string, at: number, bytes: number }[]
}

/** What can be a part of a join. */
export type PlainInput = Exclude<MediaInput, { kind: 'join' }>

/** What every frame of a source is brought to, where its frames differ. */
export interface PictureShape { width: number, height: number, pixelFormat: string }

/** Where a source's bytes are: one file, a numbered run of pictures in a directory, or a title of a disc. Paths are absolute. */
export type MediaInput =
  /** `courses`: of those streams whose times must be moved or made. `picture`: the shape that its facts tell. */
  | { kind: 'file', path: string, courses?: readonly Course[] | undefined, picture?: PictureShape | undefined }
  | { kind: 'sequence', directory: string, sequence: NumberedSequence, frameRate: Rational }
  | TitleInput
  /** Sources that are played one after the other. */
  | { kind: 'join', parts: (Pick<JoinPart, 'seconds' | 'picture' | 'sound' | 'courses'> & { input: PlainInput, name: string })[] }

/** A container read through a reader of ours, which is closed with it. */
class TitleContext extends FormatContext {
  constructor(private readonly reader: TitleReader) {
    super()
    this.allocContext()
    this.pb = reader.io
    this.setFlags(AVFMT_FLAG_CUSTOM_IO)
  }

  override async closeInput(): Promise<void> {
    await super.closeInput()
    await this.reader.close()
  }
}

/** Formats that only point at other files or addresses, or that accept any text: never opened as a source. */
const refusedFormats = new Set(['hls', 'dash', 'concat', 'sdp', 'rtsp', 'imf', 'tty', 'lavfi', 'ffmetadata', 'data'])

/**
 * Opens an input for reading and finds its streams. Only local files are ever followed. Of a sequence its first frames are seen; `StreamDecoder` reads the rest.
 * @throws MediaError when it cannot be opened or holds nothing
 */
export async function openInput(input: PlainInput): Promise<FormatContext> {
  const context = input.kind === 'title' ? new TitleContext(new TitleReader(input)) : new FormatContext()
  const settings: Record<string, string | number> = { protocol_whitelist: 'file', probesize: 20_000_000, analyzeduration: 20_000_000 }
  let url: string
  let format: InputFormat | null = null
  if (input.kind === 'file') {
    url = input.path
  } else if (input.kind === 'title') {
    url = ''
    format = InputFormat.findInputFormat('mpeg')
  } else {
    const { sequence } = input
    format = InputFormat.findInputFormat('image2')
    const escape = (text: string) => text.replaceAll('%', '%%')
    url = path.join(escape(input.directory), `${escape(sequence.prefix)}%${sequence.padding > 0 ? `0${sequence.padding}` : ''}d${escape(sequence.suffix)}`)
    settings.framerate = `${input.frameRate.num}/${input.frameRate.den}`
    settings.start_number = sequence.first
    settings.pattern_type = 'sequence'
  }
  // Packets of a program stream often carry no time of their own.
  if (input.kind === 'title') context.setFlags(AVFMT_FLAG_GENPTS)
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
