import { rmSync } from 'node:fs'
import path from 'node:path'
import { setUpLibraries } from '@hematine/media'
import { CodecCalls } from '@hematine/media/ground/codec-calls'
import { Codec, CodecContext, FormatContext, Frame, Packet } from 'node-av/lib'
import { writeClip } from '../../packages/demo/src/write-clip.ts'
import { temporaryDirectory } from '../lib/bootstrap.mjs'

const rounds = 5
const seconds = 8

/** How a decoder is called. */
const ways = {
  'handed over': context => ({
    send: packet => context.sendPacket(packet),
    receive: frame => context.receiveFrame(frame),
  }),
  'in this thread': context => ({
    send: packet => context.sendPacketSync(packet),
    receive: frame => context.receiveFrameSync(frame),
  }),
  'as it is done': context => {
    const calls = new CodecCalls(context)
    return { send: packet => calls.sendPacket(packet), receive: frame => calls.receiveFrame(frame) }
  },
} satisfies Record<
  string,
  (context: CodecContext) => {
    send: (packet: Packet | null) => number | Promise<number>
    receive: (frame: Frame) => number | Promise<number>
  }
>
type Way = keyof typeof ways

/** Decodes one stream of a file whole. @returns frames, and processor seconds of this process for each */
async function decode(file: string, stream: number, way: Way): Promise<{ frames: number; each: number }> {
  const container = new FormatContext()
  if ((await container.openInput(file, null, null)) < 0 || (await container.findStreamInfo(null)) < 0)
    throw new Error(`${file} cannot be read.`)
  const { codecpar } = container.streams[stream]!
  const context = new CodecContext()
  const codec = Codec.findDecoder(codecpar.codecId)!
  context.allocContext3(codec)
  context.parametersToContext(codecpar)
  await context.open2(codec, null)
  const { send, receive } = ways[way](context)
  const [packet, frame] = [new Packet(), new Frame()]
  packet.alloc()
  frame.alloc()
  let frames = 0
  const drain = async () => {
    while ((await receive(frame)) >= 0) {
      frames++
      frame.unref()
    }
  }
  const begun = process.cpuUsage()
  while ((await container.readFrame(packet)) >= 0) {
    if (packet.streamIndex === stream) {
      await send(packet)
      await drain()
    }
    packet.unref()
  }
  await send(null)
  await drain()
  const { user, system } = process.cpuUsage(begun)
  frame.free()
  packet.free()
  context.freeContext()
  await container.closeInput()
  return { frames, each: (user + system) / frames }
}

const median = (values: number[]) => [...values].sort((a, b) => a - b)[Math.floor(values.length / 2)]!

/** `npm run bench:calls`. Ends with an error when ways do not decode as many frames. */
export async function benchCalls(): Promise<void> {
  setUpLibraries()
  const directory = temporaryDirectory('hematine-bench-calls-')
  try {
    console.log(`Processor time to read and decode a frame, median of ${rounds} rounds, in microseconds`)
    console.log(['', ...Object.keys(ways)].map(text => text.padEnd(22)).join(''))
    for (const size of ['320x240', '720x576', '1280x720', '1920x1080']) {
      const file = path.join(directory, `${size}.mp4`)
      await writeClip({
        path: file,
        format: 'mp4',
        video: {
          encoder: 'libx264',
          options: { preset: 'veryfast' },
          filters: `testsrc2=s=${size}:r=25:d=${seconds},format=yuv420p,setsar=1`,
        },
        audio: [
          {
            encoder: 'aac',
            filters: `sine=frequency=440:sample_rate=48000:duration=${seconds},aformat=sample_fmts=fltp:channel_layouts=stereo`,
          },
        ],
      })
      for (const [stream, name] of [`H.264 ${size}`, 'AAC'].entries()) {
        if (stream === 1 && size !== '320x240') continue
        const taken: Record<string, number[]> = {}
        const counts = new Set<number>()
        for (let round = 0; round < rounds; round++)
          for (const way of Object.keys(ways) as Way[]) {
            const { frames, each } = await decode(file, stream, way)
            counts.add(frames)
            ;(taken[way] ??= []).push(each)
          }
        if (counts.size !== 1) throw new Error(`${name}: the ways give ${[...counts].join(' and ')} frames.`)
        const row = Object.values(taken).map(each => median(each).toFixed(0))
        console.log([name, ...row].map(text => text.padEnd(22)).join(''))
      }
    }
  } finally {
    rmSync(directory, { recursive: true, force: true })
  }
}
