import { timedTextTrackHead, writeCue } from '@hematine/core'
import { ensure, options } from '@hematine/media/ground/libav'
import { Graph } from '@hematine/media/ground/graph'
import {
  AV_CODEC_FLAG_GLOBAL_HEADER,
  AV_CODEC_FLAG_INTERLACED_DCT,
  AV_CODEC_FLAG_INTERLACED_ME,
  AV_CODEC_ID_MOV_TEXT,
  AV_PICTURE_TYPE_NONE,
  AVMEDIA_TYPE_SUBTITLE,
} from 'node-av/constants'
import {
  avRescaleQ,
  Codec,
  CodecContext,
  FormatContext,
  Frame,
  OutputFormat,
  Packet,
  Rational,
  type Stream,
} from 'node-av/lib'

export interface ClipTrack {
  encoder: string
  /** Filters without inputs that make the track. */
  filters: string
  options?: Record<string, string>
  bitRate?: number
  language?: string
}

export interface Clip {
  path: string
  /** Writer by the library's name. */
  format: string
  formatOptions?: Record<string, string>
  video: ClipTrack & { interlaced?: boolean; keyframeDistance?: number }
  audio: ClipTrack[]
  /** Subtitle tracks of MP4 and MOV: seconds at which each text is shown, and for how long. */
  subtitles?: { language: string; texts: [from: number, seconds: number, text: string][] }[]
}

interface OpenTrack {
  graph: Graph
  context: CodecContext
  stream: Stream
  frame: Frame
  packet: Packet
  seconds: number
  ended: boolean
}

/** Draws, encodes and writes a clip whose tracks come from filters. @throws MediaError */
export async function writeClip(clip: Clip): Promise<void> {
  await write(clip, async output => {
    const tracks = [await openVideo(output, clip.video)]
    for (const track of clip.audio) tracks.push(await openAudio(output, track))
    return tracks
  })
}

/** Adds a track of timed text. @returns writes its texts */
function openSubtitles(
  output: FormatContext,
  { language, texts }: NonNullable<Clip['subtitles']>[number],
): () => Promise<void> {
  const stream = output.newStream(null)
  stream.codecpar.codecType = AVMEDIA_TYPE_SUBTITLE
  stream.codecpar.codecId = AV_CODEC_ID_MOV_TEXT
  stream.codecpar.extradata = Buffer.from(timedTextTrackHead())
  const milliseconds = new Rational(1, 1000)
  stream.timeBase = milliseconds
  stream.metadata = options({ language })
  return async () => {
    const packet = new Packet()
    packet.alloc()
    for (const [from, seconds, text] of texts) {
      packet.data = Buffer.from(writeCue('mov_text', [{ text, italic: false, bold: false, underline: false }]))
      packet.pts = packet.dts = BigInt(Math.round(from * 1000))
      packet.duration = BigInt(Math.round(seconds * 1000))
      packet.streamIndex = stream.index
      packet.rescaleTs(milliseconds, stream.timeBase)
      ensure(await output.interleavedWriteFrame(packet), 'The demo subtitles cannot be written')
      packet.unref()
    }
    packet.free()
  }
}

/** Makes sound from filters and writes it as a WAV file of 16 bit. @throws MediaError */
export async function writeSound(file: string, filters: string): Promise<void> {
  await writeTracks(file, 'wav', [{ encoder: 'pcm_s16le', filters }])
}

/** Makes sound tracks from filters and writes them into a file without a picture. @param format writer by the library's name @throws MediaError */
export async function writeTracks(file: string, format: string, audio: readonly ClipTrack[]): Promise<void> {
  await write({ path: file, format }, async output => {
    const tracks: OpenTrack[] = []
    for (const track of audio) tracks.push(await openAudio(output, track))
    return tracks
  })
}

async function write(
  clip: Pick<Clip, 'path' | 'format' | 'formatOptions' | 'subtitles'>,
  openTracks: (output: FormatContext) => Promise<OpenTrack[]>,
): Promise<void> {
  const output = new FormatContext()
  ensure(
    output.allocOutputContext2(OutputFormat.guessFormat(clip.format as never, null, null), null, clip.path),
    'The demo file cannot be set up',
  )
  output.url = clip.path
  let tracks: OpenTrack[] = []
  try {
    tracks = await openTracks(output)
    const subtitles = (clip.subtitles ?? []).map(track => openSubtitles(output, track))
    ensure(await output.openOutput(), 'The demo file cannot be created')
    ensure(await output.writeHeader(options(clip.formatOptions ?? {})), 'The demo file cannot be begun')
    for (const write of subtitles) await write()
    for (;;) {
      const open = tracks.filter(track => !track.ended)
      if (open.length === 0) break
      await advance(
        open.reduce((first, track) => (track.seconds < first.seconds ? track : first)),
        output,
      )
    }
    ensure(await output.writeTrailer(), 'The demo file cannot be ended')
    await output.closeOutput()
  } finally {
    for (const track of tracks) {
      track.packet.free()
      track.frame.free()
      track.context.freeContext()
      track.graph.free()
    }
    output.freeContext()
  }
}

async function advance(track: OpenTrack, output: FormatContext): Promise<void> {
  track.frame.unref()
  track.ended = (await track.graph.pull(track.frame)) !== 'frame'
  if (!track.ended) {
    const base = track.graph.timeBase
    track.seconds = (Number(track.frame.pts) * base.num) / base.den
    track.frame.pts = avRescaleQ(track.frame.pts, base, track.context.timeBase)
    track.frame.pictType = AV_PICTURE_TYPE_NONE
  }
  ensure(await track.context.sendFrame(track.ended ? null : track.frame), 'The demo encoder failed')
  while ((await track.context.receivePacket(track.packet)) >= 0) {
    track.packet.streamIndex = track.stream.index
    track.packet.rescaleTs(track.context.timeBase, track.stream.timeBase)
    ensure(await output.interleavedWriteFrame(track.packet), 'The demo file cannot be written')
  }
}

async function openVideo(output: FormatContext, track: Clip['video']): Promise<OpenTrack> {
  const graph = await Graph.video(track.filters, [])
  const sink = graph.output
  const { codec, context } = prepare(track, output)
  const rate = sink.buffersinkGetFrameRate()
  context.width = sink.buffersinkGetWidth()
  context.height = sink.buffersinkGetHeight()
  context.pixelFormat = sink.buffersinkGetFormat() as never
  context.sampleAspectRatio = sink.buffersinkGetSampleAspectRatio()
  context.colorSpace = sink.buffersinkGetColorspace()
  context.colorRange = sink.buffersinkGetColorRange()
  context.timeBase = new Rational(rate.den, rate.num)
  context.framerate = rate
  if (track.keyframeDistance) context.gopSize = track.keyframeDistance
  if (track.interlaced) context.setFlags(AV_CODEC_FLAG_INTERLACED_DCT, AV_CODEC_FLAG_INTERLACED_ME)
  return finish(output, context, codec, track, async () => graph)
}

async function openAudio(output: FormatContext, track: ClipTrack): Promise<OpenTrack> {
  const { codec, context } = prepare(track, output)
  // A first graph tells the shape; the second one also cuts the sound into the encoder's frames, whose length is known once it is open.
  const shape = await Graph.audio(track.filters, null)
  context.sampleFormat = shape.output.buffersinkGetFormat() as never
  context.sampleRate = shape.output.buffersinkGetSampleRate()
  context.channelLayout = shape.output.buffersinkGetChannelLayout()
  context.timeBase = new Rational(1, context.sampleRate)
  shape.free()
  return finish(output, context, codec, track, () =>
    Graph.audio(
      context.frameSize > 0 ? `${track.filters},asetnsamples=n=${context.frameSize}:p=0` : track.filters,
      null,
    ),
  )
}

function prepare(track: ClipTrack, output: FormatContext): { codec: Codec; context: CodecContext } {
  const codec = Codec.findEncoderByName(track.encoder as never)
  if (!codec) throw new Error(`The encoder ${track.encoder} is not built in.`)
  const context = new CodecContext()
  context.allocContext3(codec)
  if (track.bitRate) context.bitRate = BigInt(track.bitRate)
  if (['mp4', 'mov', 'matroska'].includes(output.oformat?.name ?? '')) context.setFlags(AV_CODEC_FLAG_GLOBAL_HEADER)
  return { codec, context }
}

async function finish(
  output: FormatContext,
  context: CodecContext,
  codec: Codec,
  track: ClipTrack,
  makeGraph: () => Promise<Graph>,
): Promise<OpenTrack> {
  for (const [name, value] of Object.entries(track.options ?? {}))
    ensure(context.setOption(name, value), `The demo encoder does not take ${name}=${value}`)
  ensure(await context.open2(codec, null), `The demo encoder ${track.encoder} cannot be opened`)
  const stream = output.newStream(null)
  ensure(context.parametersFromContext(stream.codecpar), 'The demo stream cannot be set up')
  stream.timeBase = context.timeBase
  if (context.sampleAspectRatio.num > 0) stream.sampleAspectRatio = context.sampleAspectRatio
  if (context.framerate.num > 0) stream.avgFrameRate = context.framerate
  if (track.language) stream.metadata = options({ language: track.language })
  const [frame, packet] = [new Frame(), new Packet()]
  frame.alloc()
  packet.alloc()
  return { graph: await makeGraph(), context, stream, frame, packet, seconds: 0, ended: false }
}
