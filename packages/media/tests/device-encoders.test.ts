import {
  hardwareCodecs,
  hardwareFamilies,
  levelNumber,
  pictureCodec,
  standInDevices,
  type Device,
  type HardwareFamily,
  type RateChoice,
} from '@hematine/core'
import { AV_HWDEVICE_TYPE_VULKAN } from 'node-av/constants'
import { avGetPixFmtFromName, Codec, CodecContext, Frame, HardwareDeviceContext } from 'node-av/lib'
import { beforeAll, describe, expect, test } from 'vitest'
import { applySettings } from '../src/encoding/encoder-settings.ts'
import { findDevices, tryEncoder } from '../src/encoding/find-devices.ts'
import { HandOver } from '../src/encoding/hand-over.ts'
import { setUpLibraries } from '../src/index.ts'

beforeAll(() => setUpLibraries())

/** An encoder that is not open: no device is needed for its table of options. */
function closed(family: HardwareFamily, codec: (typeof hardwareCodecs)[number]): CodecContext {
  const found = Codec.findEncoderByName(family.encoders[codec] as never)
  expect(found, `${family.key} ${codec} is built in`).not.toBeNull()
  const context = new CodecContext()
  context.allocContext3(found!)
  return context
}

const held: RateChoice = { kind: 'constant quality', value: 23 }
const average: RateChoice = { kind: 'average rate', bitsPerSecond: 4e6, peakBitsPerSecond: 6e6, bufferBits: 8e6 }
const profiles = { h264: ['main', 'high'], hevc: ['main', 'main10'], av1: ['main'] }
const levels = { h264: '4.1', hevc: '5.1', av1: '5.1' }

describe.each(hardwareFamilies.map(family => [family.key, family] as const))('encoders behind %s', (_, family) => {
  test('know every option and value that a spec can lead to', () => {
    for (const codec of hardwareCodecs)
      for (const profile of profiles[codec])
        for (const level of [null, levels[codec]])
          for (const effort of [null, ...pictureCodec(codec).efforts.map(({ value }) => value)])
            for (const rateControl of [
              held,
              { ...held, value: pictureCodec(codec).quality!.best },
              { ...held, value: pictureCodec(codec).quality!.worst },
              average,
            ]) {
              const context = closed(family, codec)
              const settings = family.settings(pictureCodec(codec), { profile, level, effort, rateControl }, '0')
              expect(() => applySettings(context, settings), JSON.stringify(settings)).not.toThrow()
              context.freeContext()
            }
  })

  test('read the level that is meant', () => {
    for (const codec of hardwareCodecs) {
      const context = closed(family, codec)
      const choice = { profile: null, level: levels[codec], effort: null, rateControl: held }
      applySettings(context, family.settings(pictureCodec(codec), choice, null))
      // One family counts in tenths in every codec (MFX_LEVEL_HEVC_51 and MFX_LEVEL_AV1_51 are 51).
      const meant = family.key === 'qsv' ? Number(levels[codec]) * 10 : levelNumber(codec, levels[codec])
      expect(context.getOption('level'), codec).toBe(String(meant))
      context.freeContext()
    }
  })
})

test('an option or a value that an encoder does not know is refused here already', () => {
  const context = closed(hardwareFamilies[0]!, 'h264')
  expect(() => applySettings(context, { options: { preset: 'p8' } })).toThrow(/does not take preset=p8/)
  expect(() => applySettings(context, { options: { no_such_thing: '1' } })).toThrow(/no_such_thing/)
  context.freeContext()
})

test('the slowest effort is the name that the library gives the slowest preset', () => {
  const [mapped, named] = [closed(hardwareFamilies[0]!, 'h264'), closed(hardwareFamilies[0]!, 'h264')]
  const choice = { profile: null, level: null, effort: 'veryslow', rateControl: held }
  applySettings(mapped, hardwareFamilies[0]!.settings(pictureCodec('h264'), choice, null))
  expect(named.setOption('preset', 'p7')).toBeGreaterThanOrEqual(0)
  expect(mapped.getOption('preset')).toBe(named.getOption('preset'))
  for (const context of [mapped, named]) context.freeContext()
})

describe('frames on their way to a device', () => {
  const device: Device = { ...standInDevices[0]!, kind: 'graphics device' }
  const size = { width: 36, height: 22 }

  function frameOf(format: string): Frame {
    const frame = new Frame()
    frame.alloc()
    Object.assign(frame, { ...size, format: avGetPixFmtFromName(format as never) })
    expect(frame.getBuffer()).toBeGreaterThanOrEqual(0)
    frame.pts = 77n
    return frame
  }

  test('keep every sample: colours in turn in 8 bit', async () => {
    const context = closed(hardwareFamilies[1]!, 'h264')
    Object.assign(context, size)
    const handOver = HandOver.prepare(context, device, hardwareFamilies[1]!, 'yuv420p')
    expect(context.pixelFormat).toBe(avGetPixFmtFromName('nv12'))
    const frame = frameOf('yuv420p')
    for (const plane of [0, 1, 2]) frame.data![plane]!.forEach((_, at, all) => (all[at] = (at * 7 + plane * 50) % 251))
    const laid = await handOver.take(frame)
    expect(laid.pts).toBe(77n)
    for (let y = 0; y < size.height; y++)
      expect(Buffer.from(laid.data![0]!.subarray(y * laid.linesize[0]!, y * laid.linesize[0]! + size.width))).toEqual(
        Buffer.from(frame.data![0]!.subarray(y * frame.linesize[0]!, y * frame.linesize[0]! + size.width)),
      )
    for (let y = 0; y < size.height / 2; y++)
      for (let x = 0; x < size.width / 2; x++)
        for (const colour of [0, 1])
          expect(laid.data![1]![y * laid.linesize[1]! + 2 * x + colour]).toBe(
            frame.data![1 + colour]![y * frame.linesize[1 + colour]! + x],
          )
    handOver.close()
    context.freeContext()
  })

  test('keep every sample: 10 bit lie in the upper bits', async () => {
    const context = closed(hardwareFamilies[0]!, 'hevc')
    Object.assign(context, size)
    const handOver = HandOver.prepare(context, device, hardwareFamilies[0]!, 'yuv420p10le')
    const frame = frameOf('yuv420p10le')
    const at = (data: Uint8Array, line: number, x: number) => data[line + 2 * x]! | (data[line + 2 * x + 1]! << 8)
    const put = (data: Uint8Array, line: number, x: number, value: number) => {
      data[line + 2 * x] = value & 255
      data[line + 2 * x + 1] = value >> 8
    }
    for (let y = 0; y < size.height; y++)
      for (let x = 0; x < size.width; x++) put(frame.data![0]!, y * frame.linesize[0]!, x, (x * 29 + y * 41) % 1024)
    const laid = await handOver.take(frame)
    for (let y = 0; y < size.height; y++)
      for (let x = 0; x < size.width; x++)
        expect(at(laid.data![0]!, y * laid.linesize[0]!, x)).toBe(((x * 29 + y * 41) % 1024) << 6)
    handOver.close()
    context.freeContext()
  })
})

/** Whether this machine has a Vulkan device, if only one that the processor plays: what is put into its memory can be read back. */
const hasVulkan = (() => {
  const device = new HardwareDeviceContext()
  const isThere = device.create(AV_HWDEVICE_TYPE_VULKAN, null) >= 0
  if (isThere) device.free()
  return isThere
})()

test.skipIf(!hasVulkan)('frames in the memory of a device are those that were put there', async () => {
  const vulkan = hardwareFamilies.find(({ key }) => key === 'vulkan')!
  const size = { width: 128, height: 64 }
  const context = closed(vulkan, 'h264')
  Object.assign(context, size)
  const handOver = HandOver.prepare(context, { ...standInDevices[0]!, kind: 'graphics device' }, vulkan, 'yuv420p')
  const [frame, back] = [new Frame(), new Frame()]
  for (const each of [frame, back]) each.alloc()
  Object.assign(frame, { ...size, format: avGetPixFmtFromName('yuv420p') })
  expect(frame.getBuffer()).toBeGreaterThanOrEqual(0)
  frame.pts = 5n
  for (const plane of [0, 1, 2]) frame.data![plane]!.forEach((_, at, all) => (all[at] = (at * 7 + plane * 31) % 250))
  const uploaded = await handOver.take(frame)
  expect([uploaded.format, uploaded.pts]).toEqual([avGetPixFmtFromName('vulkan'), 5n])
  expect(await uploaded.hwFramesCtx!.transferData(back, uploaded)).toBeGreaterThanOrEqual(0)
  const line = (of: Frame, plane: number, y: number, bytes: number) =>
    Buffer.from(of.data![plane]!.subarray(y * of.linesize[plane]!, y * of.linesize[plane]! + bytes))
  for (let y = 0; y < size.height; y++) expect(line(back, 0, y, size.width)).toEqual(line(frame, 0, y, size.width))
  for (let y = 0; y < size.height / 2; y++) {
    const both = line(back, 1, y, size.width)
    const half = size.width / 2
    expect(both.filter((_, at) => at % 2 === 0)).toEqual(line(frame, 1, y, half))
    expect(both.filter((_, at) => at % 2 === 1)).toEqual(line(frame, 2, y, half))
  }
  handOver.close()
})

describe('looking for graphics devices', () => {
  // The encoders of the processor, as if they were a device's: what works, and what does not, is known.
  const family = (changes: Partial<HardwareFamily> = {}): HardwareFamily => ({
    ...hardwareFamilies[0]!,
    encoders: { h264: 'libx264', hevc: 'libx265' },
    laidOutAs: { yuv420p: 'yuv420p', yuv420p10le: 'yuv420p10le' },
    settings: (_, { rateControl }) => ({
      options: { crf: String('value' in rateControl ? rateControl.value : 20), preset: 'veryfast' },
    }),
    ...changes,
  })
  const device: Device = { ...standInDevices[0]!, kind: 'graphics device' }

  test('finds an encoder that makes right pictures', async () => {
    expect(await tryEncoder(device, family(), 'h264')).toBeNull()
    expect(await tryEncoder(device, family(), 'hevc')).toBeNull()
  })

  test('refuses one that does not open, that takes no option, or whose pictures are not those that it was given', async () => {
    expect(await tryEncoder(device, family(), 'av1')).toMatch(/does not open/)
    expect(await tryEncoder(device, family({ encoders: { h264: 'h264_nvenc' } }), 'h264')).toMatch(/does not open/)
    expect(await tryEncoder(device, family({ settings: () => ({ options: { gpu: '0' } }) }), 'h264')).toMatch(
      /does not open/,
    )
    const blind = family({
      settings: () => ({ options: { crf: '51', preset: 'ultrafast', 'x264-params': 'chroma-qp-offset=0:qpmin=51' } }),
    })
    expect(await tryEncoder(device, blind, 'h264')).toMatch(/not those that it was given/)
  })

  test('takes what works for a device with as many sessions as open at once, and says of the rest why not', async () => {
    const nothing = family({ key: 'amf', encoders: { h264: 'h264_nvenc' }, settings: () => ({ options: {} }) })
    const { devices, missing } = await findDevices([nothing, family({ key: 'qsv' }), family({ key: 'vulkan' })])
    // The processor's encoders open as often as one likes: no more than eight are counted. What reaches every device is not asked where one was found.
    expect(devices).toMatchObject([{ key: 'qsv-0', kind: 'graphics device', sessions: 8, place: null }])
    expect(devices[0]!.encoders).toEqual([
      { codec: 'h264', family: 'qsv', problem: null },
      { codec: 'hevc', family: 'qsv', problem: null },
      { codec: 'av1', family: 'qsv', problem: expect.stringMatching(/^it does not open/) as string },
    ])
    expect(missing).toEqual([
      { family: 'amf', problem: expect.stringMatching(/libcuda|CUDA|nvcuda|library says/) as string },
    ])
  })

  test('says of each way why there is nothing behind it, and takes no longer than a person waits', async () => {
    const { devices, missing } = await findDevices()
    const ways = new Set([
      ...devices.flatMap(({ encoders }) => encoders.map(entry => entry.family)),
      ...missing.map(entry => entry.family),
    ])
    // Vulkan is only looked at where nothing else is.
    for (const { key } of hardwareFamilies) if (key !== 'vulkan' || devices.length === 0) expect(ways).toContain(key)
    for (const { problem } of missing) expect(problem).toMatch(/^[a-z].{8,}\.$/)
    for (const found of devices) expect(found.sessions).toBeGreaterThan(0)
  })
})
