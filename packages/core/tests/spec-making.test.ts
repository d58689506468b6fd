import { describe, expect, test } from 'vitest'
import { facts } from './examples.ts'
import {
  builtInSpecs,
  containers,
  DeliverySpec,
  deriveTreatment,
  effortWords,
  fineWords,
  pictureCodec,
  rational,
  pictureCodecs,
  soundCodecs,
  SpecFile,
  specProblems,
  specTitle,
  usualRate,
  withContainer,
  withPictureCodec,
  withProfile,
  withSoundCodec,
  type Container,
  type FineChoice,
  type PictureSpec,
} from '../src/index.ts'

const all = Object.keys(containers) as Container[]
const box = builtInSpecs.find(spec => spec.key === 'playback-box') as PictureSpec

describe('whatever is chosen while a spec is made', () => {
  test.each(builtInSpecs.map(spec => [spec.key, spec] as const))('%s makes sense in every container', (_, spec) => {
    for (const container of all) {
      const made = withContainer(spec, container)
      expect(specProblems(made), `${spec.key} in ${container}`).toEqual([])
      expect(DeliverySpec.safeParse(made).success).toBe(true)
      expect(made.video === null).toBe(containers[container].picture.length === 0)
    }
  })

  test('makes sense in every codec that a container carries, in each of its profiles and ways to spend bits', () => {
    for (const container of all)
      for (const key of containers[container].picture) {
        const base = withContainer(box, container) as PictureSpec
        const video = withPictureCodec(base.video, key)
        expect(specProblems({ ...base, video }), `${key} in ${container}`).toEqual([])
        for (const { key: profile } of pictureCodec(key).profiles)
          expect(specProblems({ ...base, video: withProfile(video, profile) }), `${key} ${profile}`).toEqual([])
        for (const kind of pictureCodec(key).rates)
          expect(specProblems({ ...base, video: { ...video, rateControl: usualRate(key, kind) } })).toEqual([])
      }
  })

  test('leaves fine settings behind that the new codec or container does not bear', () => {
    const fine = { betweenFrames: 2, closedGroups: true as const }
    const disc: PictureSpec = { ...box, video: { ...withPictureCodec(box.video, 'mpeg4'), fine } }
    expect((withContainer(disc, 'mkv') as PictureSpec).video.fine).toEqual(fine)
    // AVI numbers its frames as they come (decoding order and showing order are one).
    expect((withContainer(disc, 'avi') as PictureSpec).video.fine).toEqual({ ...fine, betweenFrames: 0 })
    expect(withPictureCodec(disc.video, 'av1').fine).toBeUndefined()
  })

  test('keeps what the new codec can do, and changes what it cannot', () => {
    const master = withPictureCodec({ ...box.video, scan: 'as source' }, 'prores')
    expect([master.scan, master.keyframeSeconds, master.effort]).toEqual(['as source', null, null])
    expect(withPictureCodec(master, 'hevc')).toMatchObject({
      scan: 'progressive',
      keyframeSeconds: 2,
      effort: 'medium',
    })
    expect(withPictureCodec(box.video, 'av1').frame).toEqual(box.video.frame)
    const sound = { codec: 'flac', bitsPerSecondPerChannel: null, maxChannels: 8, sampleRate: 96_000 }
    expect(withSoundCodec(sound, 'mp3')).toEqual({
      codec: 'mp3',
      bitsPerSecondPerChannel: 96_000,
      maxChannels: 2,
      sampleRate: 48_000,
    })
  })
})

describe('what is known of codecs', () => {
  test('is whole: each says what it is for, and no key stands twice', () => {
    for (const codecs of [pictureCodecs, soundCodecs])
      expect(new Set(codecs.map(codec => codec.key)).size).toBe(codecs.length)
    for (const codec of pictureCodecs) {
      expect(codec.says).toMatch(/\.$/)
      expect(codec.profiles.length + codec.pixelFormats.length).toBeGreaterThan(0)
      expect(codec.rates.includes('constant quality')).toBe(codec.quality !== null)
    }
  })

  test('lets a level bound the frames to lean on, and leaves the rest of the fine settings as chosen', () => {
    const choice = {
      profile: 'high',
      level: '4.1',
      effort: 'fast',
      rateControl: { kind: 'constant quality' as const, value: 20 },
      fine: { references: 8, betweenFrames: 0, suits: 'drawn' as const },
    }
    const at = (width: number, height: number, level: string | null) =>
      pictureCodec('h264').settings({ ...choice, level }, { width, height }, rational(25))
    // ITU-T H.264 table A-1: 32,768 macroblocks are kept at level 4.1, and a frame of 1920x1080 has 120x68 of them.
    expect(at(1920, 1080, '4.1').options).toMatchObject({ refs: '4', tune: 'animation' })
    expect(at(1920, 1080, '4.1').betweenFrames).toBe(0)
    // 18,000 at level 3.1, and 80x45 of 1280x720.
    expect(at(1280, 720, '3.1').options.refs).toBe('5')
    expect(at(720, 576, '4.1').options.refs).toBe('8')
    expect(at(1920, 1080, null).options.refs).toBe('8')
  })

  test('says of every effort but the quickest, and of every fine setting, what it was measured to do', () => {
    const isStillAlone = ({ key }: { key: string }) =>
      all.every(container => {
        const { makes, picture } = containers[container]
        return makes === 'still' || !(picture as readonly string[]).includes(key)
      })
    for (const codec of pictureCodecs.filter(codec => !isStillAlone(codec))) {
      for (const [index, { value }] of codec.efforts.entries())
        if (index === 0) expect(effortWords(codec, value)).toBe('')
        else
          expect(effortWords(codec, value), `${codec.key} ${value}`).toMatch(
            /time of .+, (as large|.+ (smaller|larger))$/,
          )
      const { betweenFrames = [], references = [], suits = [], closedGroups = false } = codec.fine ?? {}
      const choices: FineChoice[] = [
        ...betweenFrames.map((count): FineChoice => ['betweenFrames', count]),
        ...references.map((count): FineChoice => ['references', count]),
        ...suits.map((kind): FineChoice => ['suits', kind]),
        ...(closedGroups ? [['closedGroups', true] satisfies FineChoice] : []),
      ]
      for (const choice of choices)
        expect(fineWords(codec, choice), `${codec.key} ${choice.join(' ')}`).toMatch(
          /time, (as large|.+ (smaller|larger))$/,
        )
    }
  })

  test('sets the buffer of an H.264 level, and leaves a rate that was chosen as it is', () => {
    const choice = {
      profile: 'high',
      level: '4.1',
      effort: 'fast',
      rateControl: { kind: 'constant quality' as const, value: 20 },
    }
    const size = { width: 1920, height: 1080 }
    // ITU-T H.264 table A-1: 50,000 kbit/s and a buffer of 62,500 kbit.
    expect(pictureCodec('h264').settings(choice, size, rational(25))).toMatchObject({
      peakBitsPerSecond: 50_000_000,
      bufferBits: 62_500_000,
      options: { crf: '20', preset: 'fast', profile: 'high', level: '4.1' },
    })
    const average = {
      kind: 'average rate' as const,
      bitsPerSecond: 3e6,
      peakBitsPerSecond: 6e6,
      bufferBits: 4e6,
    }
    expect(pictureCodec('h264').settings({ ...choice, rateControl: average }, size, rational(25))).toMatchObject({
      bitsPerSecond: 3e6,
      peakBitsPerSecond: 6e6,
      bufferBits: 4e6,
    })
  })
})

describe('a rate that a codec cannot have', () => {
  const at = (num: number, den: number, container: Container, key: string) => {
    const spec = withContainer(box, container) as PictureSpec
    const video = { ...withPictureCodec(spec.video, key), maxFrameRate: null }
    return () => deriveTreatment(facts({ frameRate: { num, den } }), { ...spec, video })
  }

  test('is refused at drafting, with what it can have', () => {
    expect(at(15, 1, 'ts', 'mpeg2video')).toThrow(
      'MPEG-2 runs at 23.976, 24, 25, 29.97, 30, 50, 59.94, 60 fps, not at 15. Bring it to one that fits with the step "Change the rate", or choose another spec.',
    )
    expect(at(100_000, 4101, 'mp4', 'mpeg4')).toThrow('MPEG-4 part 2 cannot count a rate of 24.38 fps exactly.')
  })

  test('is no matter to others, nor is one that fits', () => {
    for (const [container, key] of [
      ['mov', 'prores'],
      ['webm', 'vp9'],
      ['mp4', 'mpeg4'],
    ] as const)
      expect(at(15, 1, container, key)).not.toThrow()
    expect(at(30_000, 1001, 'ts', 'mpeg2video')).not.toThrow()
  })
})

test('a spec travels as a file without its key and version, and is called by its version from the second on', () => {
  const { key: _key, ...spec } = box
  const file = { kind: 'hematine delivery spec', format: 1, spec }
  expect(SpecFile.parse(JSON.parse(JSON.stringify(file)))).toEqual(file)
  expect(SpecFile.safeParse({ ...file, format: 2 }).success).toBe(false)
  expect([
    specTitle({ name: 'A' }),
    specTitle({ name: 'A', version: 1 }),
    specTitle({ name: 'A', version: 3 }),
  ]).toEqual(['A', 'A', 'A v3'])
})
