import { avGetSampleFmtName, type Frame } from 'node-av/lib'
import { MediaError } from './libav.ts'

/** Samples are read as the 24 bits that are the most a result of whole numbers holds. */
export const fullScale = 2 ** 23

type Reader = (plane: Buffer, count: number) => ArrayLike<number>

/** The binding cannot read more planes; what delivers more channels (PCM) has them side by side. */
const mostPlanes = 8

/** How samples of a format lie in memory, and what brings one to 24 bits. */
const readers: Record<string, { read: Reader; factor: number; isWhole: boolean }> = {
  s16: { read: (plane, count) => new Int16Array(plane.buffer, plane.byteOffset, count), factor: 2 ** 8, isWhole: true },
  s32: {
    read: (plane, count) => new Int32Array(plane.buffer, plane.byteOffset, count),
    factor: 2 ** -8,
    isWhole: true,
  },
  flt: {
    read: (plane, count) => new Float32Array(plane.buffer, plane.byteOffset, count),
    factor: fullScale,
    isWhole: false,
  },
}

/** The samples of a frame of sound, a list for each channel, as whole numbers of 24 bits. @throws MediaError for a format that is not read here */
export function readSamples(frame: Frame): Float64Array[] {
  const name = avGetSampleFmtName(frame.format as never) ?? 'unknown'
  const isPlanar = name.endsWith('p')
  const reader = readers[isPlanar ? name.slice(0, -1) : name]
  if (!reader) throw new MediaError(`Samples as ${name} cannot be compared.`)
  const [channels, count] = [frame.channelLayout.nbChannels, frame.nbSamples]
  if (isPlanar && channels > mostPlanes) throw new MediaError(`${channels} channels as ${name} cannot be compared.`)
  const planes = frame.data!
  const together = isPlanar ? null : reader.read(planes[0]!, count * channels)
  // Coders of whole numbers drop the bits below the 24th; numbers with a point have no bit that ends them.
  const round = reader.isWhole ? Math.floor : Math.round
  const { factor } = reader
  return Array.from({ length: channels }, (_, channel) => {
    const samples = together ?? reader.read(planes[channel]!, count)
    const [step, first] = together ? [channels, channel] : [1, 0]
    const values = new Float64Array(count)
    for (let at = 0; at < count; at++) values[at] = round(samples[at * step + first]! * factor)
    return values
  })
}
