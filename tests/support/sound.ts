import { toNumber } from '@hematine/core'
import { readFacts, type PlainInput } from '@hematine/media'
import { avGetSampleFmtName, Frame } from 'node-av/lib'
import { StreamDecoder } from '../../packages/media/src/reading/decoder.ts'

/** One channel, the first unless told, of a file's sound as samples of 32 bits, whatever it is stored as, with the time of the first. */
export async function soundOf(
  file: PlainInput,
  track = 0,
  channel = 0,
): Promise<{ rate: number; start: number; values: Int32Array }> {
  const { audio } = await readFacts(file)
  const decoder = await StreamDecoder.open(file, audio[track]!.streamIndex, 1)
  const frame = new Frame()
  frame.alloc()
  const parts: Int32Array[] = []
  let [rate, start, channels] = [0, Number.NaN, 0]
  while (await decoder.next(frame)) {
    rate = frame.sampleRate
    channels = frame.channelLayout.nbChannels
    if (Number.isNaN(start)) start = Number(frame.pts) * toNumber(decoder.timeBase)
    const format = avGetSampleFmtName(frame.format as never)!
    const isPlanar = format.endsWith('p')
    const { buffer, byteOffset } = frame.data![isPlanar ? channel : 0]!
    const [step, first] = isPlanar ? [1, 0] : [channels, channel]
    const count = frame.nbSamples * step
    const all = format.startsWith('flt')
      ? new Float32Array(buffer, byteOffset, count)
      : format.startsWith('s16')
        ? new Int16Array(buffer, byteOffset, count)
        : new Int32Array(buffer, byteOffset, count)
    const scale = all instanceof Float32Array ? 2 ** 31 : all instanceof Int16Array ? 2 ** 16 : 1
    parts.push(Int32Array.from({ length: frame.nbSamples }, (_, index) => all[index * step + first]! * scale))
    frame.unref()
  }
  frame.free()
  await decoder.close()
  const values = new Int32Array(parts.reduce((sum, part) => sum + part.length, 0))
  let offset = 0
  for (const part of parts) {
    values.set(part, offset)
    offset += part.length
  }
  return { rate, start, values }
}

/** Frequency of a tone, from the times at which it rises through zero. */
export function toneOf(values: Int32Array, rate: number): number {
  let [first, last, count] = [-1, -1, 0]
  for (let index = 1; index < values.length; index++) {
    if (values[index - 1]! < 0 && values[index]! >= 0) {
      if (first < 0) first = index
      last = index
      count++
    }
  }
  return ((count - 1) * rate) / (last - first)
}
