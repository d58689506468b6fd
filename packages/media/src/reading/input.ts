import path from 'node:path'
import { AVDISCARD_ALL, AVDISCARD_DEFAULT, AVFMT_FLAG_CUSTOM_IO, AVFMT_FLAG_GENPTS } from 'node-av/constants'
import { FormatContext, InputFormat } from 'node-av/lib'
import { ensure, MediaError, options } from '../ground/libav.ts'
import type { PlainInput } from '../ground/media-input.ts'
import { TitleReader } from '../discs/title-reader.ts'

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
  const settings: Record<string, string | number> = {
    protocol_whitelist: 'file',
    probesize: 20_000_000,
    analyzeduration: 20_000_000,
  }
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
    url = path.join(
      escape(input.directory),
      `${escape(sequence.prefix)}%${sequence.padding > 0 ? `0${sequence.padding}` : ''}d${escape(sequence.suffix)}`,
    )
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
    if (name.split(',').some(part => refusedFormats.has(part)))
      throw new MediaError('The file is not media: it is text or only points at other files.')
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
  for (const stream of context.streams)
    stream.discard = stream.index === streamIndex ? AVDISCARD_DEFAULT : AVDISCARD_ALL
}
