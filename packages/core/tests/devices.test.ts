import { describe, expect, test } from 'vitest'
import {
  codecsOf,
  deriveTreatment,
  describeKind,
  describeSpecLines,
  encoderNeed,
  hardwareFamilies,
  hardwareFamily,
  kindOfWork,
  lanesWith,
  levelNumber,
  machineWith,
  needProblem,
  pictureCodec,
  pictureSpecs,
  sessionBytes,
  specProblems,
  standInDevices,
  whyWhole,
  withEncoder,
  withPictureCodec,
  type Device,
  type PictureSpec,
} from '../src/index.ts'
import { facts } from './examples.ts'

const plain = pictureSpecs.find(
  spec => spec.video.codec === 'h264' && spec.video.rateControl.kind === 'constant quality',
)!
const byDevice: PictureSpec = { ...plain, video: withEncoder(plain.video, 'hardware') }
const device: Device = { ...standInDevices[0]!, key: 'nvenc-0', kind: 'graphics device', sessions: 3 }
const worker = (changes = {}) => ({
  lanes: 4,
  found: { devices: [device] },
  troubles: {},
  devicesOnly: false,
  ...changes,
})

describe('what a spec needs', () => {
  test('is an encoder of its codec where it asks for a graphics device', () => {
    expect(encoderNeed(plain)).toBeNull()
    expect(encoderNeed(byDevice)).toBe('h264')
    expect(encoderNeed({ video: null })).toBeNull()
  })

  test('is there in as many lanes as a worker has, and sessions', () => {
    expect(lanesWith(worker(), 'h264')).toBe(3)
    expect(lanesWith(worker({ lanes: 2 }), 'h264')).toBe(2)
    expect(lanesWith(worker({ troubles: { 'nvenc-0': 'It was lost.' } }), 'h264')).toBe(0)
    const [, second] = standInDevices
    expect(codecsOf(second!)).toEqual(['h264', 'hevc'])
    expect(lanesWith(worker({ found: { devices: [second] } }), 'av1')).toBe(0)
  })

  test('is missing with a sentence: nobody has it, or what has it does not work now', () => {
    expect(needProblem(plain, [])).toBeNull()
    expect(needProblem(byDevice, [worker()])).toBeNull()
    expect(needProblem(byDevice, [worker({ found: { devices: [] } })])).toMatch(
      /No worker has a graphics device that encodes H\.264\./,
    )
    expect(needProblem(byDevice, [worker({ troubles: { 'nvenc-0': 'It was lost.' } })])).toMatch(
      /at present: It was lost\./,
    )
  })
})

describe('a spec for a graphics device', () => {
  test('makes sense in 4:2:0 of 8 and 10 bit, in whole frames, and not with a size that is kept in two passes', () => {
    expect(specProblems(byDevice)).toEqual([])
    const problems = (video: Partial<PictureSpec['video']>) =>
      specProblems({ ...byDevice, video: { ...byDevice.video, ...video } })
    expect(problems({ rateControl: { kind: 'size cap', bytes: 1e7 } })).toEqual([
      expect.stringMatching(/no size in two passes/),
    ])
    expect(problems({ profile: 'high422', pixelFormat: 'yuv422p10le' })).toEqual([
      expect.stringMatching(/not yuv422p10le/),
    ])
    expect(problems({ scan: 'as source' })).toEqual([expect.stringMatching(/whole frames/)])
    expect(problems({ fine: { references: 2 } })).toEqual([expect.stringMatching(/Fine settings/)])
    expect(
      specProblems({
        ...byDevice,
        video: { ...withPictureCodec(byDevice.video, 'prores'), encoder: 'hardware' },
        container: 'mov',
      }),
    ).toEqual([expect.stringMatching(/encode H\.264, HEVC and AV1 here, not ProRes/)])
  })

  test('says so, and its effort in plain words', () => {
    const lines = new Map(describeSpecLines({ ...byDevice, video: { ...byDevice.video, effort: 'veryslow' } }))
    expect([lines.get('encoder'), lines.get('effort')]).toEqual(['of a graphics device', 'the slowest'])
    expect(new Map(describeSpecLines(plain)).has('encoder')).toBe(false)
  })

  test('becomes one when that encoder is chosen, and stays one in another codec that devices encode', () => {
    const video = {
      ...plain.video,
      profile: 'high422',
      pixelFormat: 'yuv422p10le',
      scan: 'as source',
      fine: { references: 2 },
    } as const
    const chosen = withEncoder({ ...video, rateControl: { kind: 'size cap', bytes: 1e7 } }, 'hardware')
    expect(specProblems({ ...plain, video: chosen })).toEqual([])
    expect(chosen).toMatchObject({ profile: 'main', pixelFormat: 'yuv420p', rateControl: { kind: 'constant quality' } })
    expect(withEncoder(chosen, null)).not.toHaveProperty('encoder')
    expect(withPictureCodec(chosen, 'av1')).toHaveProperty('encoder', 'hardware')
    expect(withPictureCodec(chosen, 'ffv1')).not.toHaveProperty('encoder')
  })

  test('is made in one go, and its forecasts are held against those of its kind', () => {
    const job = { spec: byDevice, treatment: deriveTreatment(facts(), byDevice) }
    expect(whyWhole(job, facts())).toMatch(/graphics device/)
    const traits = {
      videoCodec: 'h264',
      rate: 'constant quality',
      soundCodec: 'aac',
      isCopied: false,
      durationSeconds: 60,
    }
    expect(kindOfWork({ ...traits, isByDevice: true }, 'own')).not.toBe(kindOfWork(traits, 'own'))
    expect(describeKind(kindOfWork({ ...traits, isByDevice: true }, 'own'))).toBe(
      'H.264 by a graphics device, held quality; 10 s and longer; measured itself',
    )
  })
})

describe('plain words for encoders of graphics devices', () => {
  // ITU-T H.264 A.3: level_idc is ten times the level; H.265 A.4: general_level_idc is thirty times; AV1 A.3: seq_level_idx counts from 2.0, four to a whole level.
  test.each([
    ['h264', '4.1', 41],
    ['hevc', '5.1', 153],
    ['av1', '2.0', 0],
    ['av1', '5.1', 13],
    ['av1', '6.2', 18],
  ])('%s level %s is stated as %i', (codec, level, number) => expect(levelNumber(codec, level)).toBe(number))

  test('hold qualities on the scale of each: that of the quantiser as it is, AV1 in proportion', () => {
    const options = (family: string, codec: string, value: number) =>
      hardwareFamily(family).settings(
        pictureCodec(codec),
        { profile: null, level: null, effort: null, rateControl: { kind: 'constant quality', value } },
        null,
      ).options
    expect(options('nvenc', 'h264', 23)).toMatchObject({ rc: 'vbr', cq: '23' })
    expect(options('qsv', 'hevc', 24)).toMatchObject({ global_quality: '24' })
    expect(options('amf', 'h264', 20)).toMatchObject({ rc: 'cqp', qp_i: '20', qp_p: '20', qp_b: '20' })
    expect(options('amf', 'hevc', 20)).not.toHaveProperty('qp_b')
    // Half of 63 is half of 255, and half of 51.
    expect(options('vulkan', 'av1', 31.5)).toMatchObject({ rc_mode: 'cqp', qp: '128' })
    expect(options('vaapi', 'av1', 63)).toMatchObject({ rc_mode: 'CQP', global_quality: '255' })
    expect(options('nvenc', 'av1', 31.5)).toMatchObject({ cq: '26' })
  })

  test('give an average rate to all, and no held quality beside it', () => {
    const rateControl = { kind: 'average rate', bitsPerSecond: 4e6, peakBitsPerSecond: 6e6, bufferBits: 8e6 } as const
    for (const family of hardwareFamilies) {
      const settings = family.settings(
        pictureCodec('h264'),
        { profile: 'high', level: null, effort: 'slow', rateControl },
        null,
      )
      expect(settings, family.key).toMatchObject({ bitsPerSecond: 4e6, peakBitsPerSecond: 6e6, bufferBits: 8e6 })
      for (const held of ['cq', 'qp', 'qp_i', 'global_quality'])
        expect(settings.options, family.key).not.toHaveProperty(held)
    }
  })

  test('go as far from the quickest to the slowest as the effort of the spec does', () => {
    const preset = (effort: string | null) =>
      hardwareFamily('nvenc').settings(
        pictureCodec('h264'),
        { profile: null, level: null, effort, rateControl: { kind: 'constant quality', value: 20 } },
        '1',
      ).options
    expect(preset('ultrafast')).toMatchObject({ preset: 'p1', gpu: '1' })
    expect(preset('veryslow')).toMatchObject({ preset: 'p7' })
    expect(preset(null)).toMatchObject({ preset: 'p4' })
  })
})

test("a session takes sixteen frames of 4:2:0 of a stand-in's memory", () => {
  expect(sessionBytes({ width: 1920, height: 1080 }, 8)).toBe(1920 * 1080 * 1.5 * 16)
  expect(sessionBytes({ width: 1920, height: 1080 }, 10)).toBe(1920 * 1080 * 3 * 16)
})

test('a measurement says on what it was made', () => {
  expect(machineWith('4 cores', null)).toBe('4 cores')
  expect(machineWith('4 cores', device)).toBe('4 cores, Stand-in GPU A')
})
