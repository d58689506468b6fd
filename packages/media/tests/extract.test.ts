import { access, readFile, readdir, stat, truncate } from 'node:fs/promises'
import path from 'node:path'
import {
  deliveredFacts,
  deriveTreatment,
  forecastJob,
  judge,
  newStep,
  soundSpecs,
  type SoundSpec,
  type Step,
} from '@hematine/core'
import { beforeAll, describe, expect, test } from 'vitest'
import {
  extractSound,
  measureSoundResult,
  measureSoundSample,
  readFacts,
  runSoundTrialMoment,
  setUpLibraries,
  soundStretchOf,
  type MediaInput,
} from '../src/index.ts'
import { drawSound } from '../src/previews/sound-picture.ts'
import { extractAndCheck, openGate, soundSpecOf } from '../../../tests/support/jobs.ts'
import { losslessEncoder, writeClip, writeSound, writeTracks } from '../../../tests/support/material.ts'
import { scratchDirectory } from '../../../tests/support/scratch.ts'
import { soundOf, toneOf } from '../../../tests/support/sound.ts'
import { soundIn } from '../../../tests/support/specs.ts'

const scratch = scratchDirectory()
const at = (name: string): MediaInput & { kind: 'file' } => ({ kind: 'file', path: path.join(scratch, name) })
const picture = {
  encoder: losslessEncoder,
  filters: 'testsrc2=s=160x120:r=25:d=3,format=yuv420p,setsar=1',
} as const
const tone = (hertz: number, rate = 48_000, seconds = 3) =>
  `sine=frequency=${hertz}:sample_rate=${rate}:duration=${seconds},aformat=sample_fmts=s16:channel_layouts=stereo`

beforeAll(async () => {
  setUpLibraries()
  await writeClip({
    path: at('two.mkv').path,
    format: 'matroska',
    video: picture,
    audio: [
      { encoder: 'pcm_s16le', filters: tone(1000), language: 'eng' },
      { encoder: 'pcm_s16le', filters: tone(3000, 44_100), language: 'deu' },
    ],
  })
  await writeClip({
    path: at('late.mkv').path,
    format: 'matroska',
    video: picture,
    audio: [{ encoder: 'pcm_s16le', filters: `${tone(1000, 48_000, 1.5)},asetpts=PTS+0.5/TB` }],
  })
  await writeSound(
    at('alone.wav').path,
    "aevalsrc='0.4*sin(2*PI*440*t)*(1+0.5*sin(2*PI*3*t))|0.2*sin(2*PI*(300+20*t)*t)':s=48000:d=22,aformat=sample_fmts=s16",
  )
  await writeClip({ path: at('silent.mkv').path, format: 'matroska', video: picture, audio: [] })
})

const line = (check: ReturnType<typeof judge>, name: string) => check.lines.find(entry => entry.name === name)

describe('sound in a file of its own', () => {
  test.each(soundSpecs.map(spec => [spec.name, spec] as const))('%s passes its own check', async (_, spec) => {
    const { check, treatment } = await extractAndCheck(at('two.mkv'), spec, at(`all.${spec.container}`).path)
    expect(check.lines.filter(entry => entry.verdict !== 'pass')).toEqual([])
    expect(check.measurement.audio).toHaveLength(spec.container === 'mka' ? 2 : 1)
    expect(treatment.leftOut).toHaveLength(spec.container === 'mka' ? 0 : 1)
    // What another reader finds in the file.
    const made = await readFacts(at(`all.${spec.container}`))
    expect(made.video).toBeNull()
    expect(made.container.toLowerCase()).toBe(spec.container)
    expect(toneOf((await soundOf(at(`all.${spec.container}`))).values, made.audio[0]!.sampleRate)).toBeCloseTo(1000, 0)
  })

  test("kept exactly has every sample of its source, at the source's rate", async () => {
    const keep: Step[] = [{ kind: 'keep-tracks', tracks: [1] }]
    const { check } = await extractAndCheck(at('two.mkv'), soundSpecOf('sound-flac'), at('exact.flac').path, keep)
    expect(check.measurement.likeness).toEqual([
      { treatedSeconds: 3, sampleRate: 44_100, channels: 2, identical: true, signalToNoise: null },
    ])
    const [source, result] = [await soundOf(at('two.mkv'), 1), await soundOf(at('exact.flac'))]
    expect(result.rate).toBe(44_100)
    expect(result.values.length).toBe(3 * 44_100)
    expect(result.values.every((value, index) => value === source.values[index])).toBe(true)
  })

  test('archive keeps the languages of the tracks', async () => {
    await extractAndCheck(at('two.mkv'), soundSpecOf('sound-archive-mka'), at('archive.mka').path)
    expect(
      (await readFacts(at('archive.mka'))).audio.map(({ codec, language, sampleRate }) => [
        codec,
        language,
        sampleRate,
      ]),
    ).toEqual([
      ['flac', 'eng', 48_000],
      ['flac', 'deu', 44_100],
    ])
  })

  test('stays in step with the picture it was taken from', async () => {
    await extractAndCheck(at('late.mkv'), soundSpecOf('sound-wav'), at('late.wav').path)
    const { rate, values } = await soundOf(at('late.wav'))
    expect(values.findIndex(value => Math.abs(value) > 1 << 24) / rate).toBeCloseTo(0.5, 2)
  })

  test('follows the steps that move time, and those of sound', async () => {
    const steps: Step[] = [
      {
        kind: 'trim',
        ranges: [
          { from: 0.5, to: 1 },
          { from: 2, to: 3 },
        ],
      },
      { ...newStep('speed'), factor: 0.5 } as Step,
      { kind: 'channels', make: 'swapped' },
      { kind: 'denoise', method: 'fast', strength: 'light' },
    ]
    const { check, treatment } = await extractAndCheck(
      at('two.mkv'),
      soundSpecOf('sound-wav'),
      at('slow.wav').path,
      steps,
    )
    expect(treatment.seconds).toBe(3)
    expect(treatment.leftOut.at(-1)).toBe('The spec has no picture, so these steps do nothing: Denoise.')
    expect(check.measurement.audio[0]!.durationSeconds).toBeCloseTo(3, 1)
    const { rate, values } = await soundOf(at('slow.wav'))
    expect(toneOf(values, rate)).toBeCloseTo(1000, -1)
  })

  test('can be taken from a source without a picture', async () => {
    const { check } = await extractAndCheck(at('alone.wav'), soundSpecOf('sound-flac'), at('alone.flac').path)
    expect(check.verdict).toBe('pass')
    expect(check.measurement.likeness[0]!.identical).toBe(true)
  })

  test('begins with its first sample where there is no picture to be in step with', async () => {
    // Both tracks begin a second or more into the file; what lies between them stays.
    await writeTracks(
      at('starts.mkv').path,
      'matroska',
      [1.5, 2].map(seconds => ({
        encoder: 'pcm_s16le',
        filters: `${tone(1000, 48_000, 1)},asetpts=PTS+${seconds}/TB`,
      })),
    )
    const { check } = await extractAndCheck(at('starts.mkv'), soundSpecOf('sound-archive-mka'), at('starts.mka').path)
    expect(check.measurement.likeness.map(track => [track.identical, track.treatedSeconds])).toEqual([
      [true, 1],
      [true, 1.5],
    ])
    const quiet = async (track: number) => {
      const { rate, values } = await soundOf(at('starts.mka'), track)
      return values.findIndex(value => Math.abs(value) > 1 << 24) / rate
    }
    expect(await quiet(0)).toBeLessThan(0.01)
    expect(await quiet(1)).toBeCloseTo(0.5, 2)
  })

  test.each([
    ['5.1', 6],
    ['mono', 1],
  ] as const)('in %s keeps its channels where the spec has room for them', async (layout, channels) => {
    const file = `${layout}.mkv`
    await writeTracks(at(file).path, 'matroska', [
      {
        encoder: 'pcm_s16le',
        filters: `aevalsrc='${Array.from({ length: channels }, (_, index) => `0.1*sin(2*PI*${200 * (index + 1)}*t)`).join('|')}':c=${layout}:s=48000:d=1,aformat=sample_fmts=s16`,
      },
    ])
    for (const [key, delivered] of [
      ['sound-flac', channels],
      ['sound-m4a', Math.min(2, channels)],
    ] as const) {
      const { check } = await extractAndCheck(at(file), soundSpecOf(key), at(`${layout}-${key}`).path)
      expect(line(check, 'sound rate')).toMatchObject({
        expected: `48000 Hz, ${delivered} ch`,
        found: `48000 Hz, ${delivered} ch`,
        verdict: 'pass',
      })
    }
  })

  test('in floats keeps what lies above full scale, which whole numbers cut off', async () => {
    const loud = at('loud.wav')
    await writeTracks(loud.path, 'wav', [
      { encoder: 'pcm_f32le', filters: "aevalsrc='1.5*sin(2*PI*440*t)':s=48000:d=1,aformat=sample_fmts=flt" },
    ])
    const spec: SoundSpec = { ...soundSpecOf('sound-wav'), audio: soundIn('pcm_f32le') }
    const result = at('loud-float.wav').path
    const { check, treatment } = await extractAndCheck(loud, spec, result)
    expect([check.verdict, treatment.leftOut]).toEqual(['pass', []])
    // RIFF, read by hand: "fmt " says 3 for floats of 32 bits, and "data" holds them.
    const bytes = await readFile(result)
    const chunk = (name: string) => bytes.indexOf(name, 12, 'latin1') + 8
    expect([bytes.readUInt16LE(chunk('fmt ')), bytes.readUInt16LE(chunk('fmt ') + 14)]).toEqual([3, 32])
    const from = chunk('data')
    const samples = Array.from({ length: 48_000 }, (_, index) => bytes.readFloatLE(from + index * 4))
    expect(Math.max(...samples)).toBeCloseTo(1.5, 3)
    expect(samples[27]!).toBeCloseTo(1.5 * Math.sin((2 * Math.PI * 440 * 27) / 48_000), 5)
  })

  test('needs sound', async () => {
    const facts = await readFacts(at('silent.mkv'))
    expect(() => deriveTreatment(facts, soundSpecOf('sound-wav'))).toThrow(
      'Sound WAV needs sound, and this source has none.',
    )
  })

  test('stops when it is asked to', async () => {
    const facts = await readFacts(at('alone.wav'))
    const treatment = deriveTreatment(facts, soundSpecOf('sound-flac'))
    let turns = 0
    const gate = {
      turn: async () => {
        if (++turns > 5) throw new Error('stopped')
      },
    }
    await expect(
      extractSound(
        {
          input: at('alone.wav'),
          facts,
          treatment,
          spec: soundSpecOf('sound-flac'),
          outputPath: at('stopped.flac').path,
        },
        gate,
        () => undefined,
      ),
    ).rejects.toThrow('stopped')
  })
})

describe('the check of sound alone', () => {
  async function checkOf(source: string, result: string, spec: SoundSpec) {
    const facts = await readFacts(at(source))
    const treatment = deriveTreatment(facts, spec)
    return judge(
      await measureSoundResult(
        { input: at(source), facts: deliveredFacts(facts, treatment), treatment, spec, outputPath: at(result).path },
        openGate,
        () => undefined,
      ),
      spec,
      treatment,
    )
  }

  test('finds a result that was cut short', async () => {
    await extractAndCheck(at('alone.wav'), soundSpecOf('sound-wav'), at('cut.wav').path)
    await truncate(at('cut.wav').path, Math.round((await readFile(at('cut.wav').path)).length * 0.6))
    const check = await checkOf('alone.wav', 'cut.wav', soundSpecOf('sound-wav'))
    expect(check.verdict).toBe('fail')
    expect(line(check, 'sound length')).toMatchObject({
      verdict: 'fail',
      reason: 'Sound was lost or added between the source and the result.',
    })
  })

  test('finds a result that lost a channel or has another rate, though it sounds alike', async () => {
    await writeTracks(at('twice.mkv').path, 'matroska', [{ encoder: 'pcm_s16le', filters: tone(700) }])
    await writeTracks(at('once.flac').path, 'flac', [
      { encoder: 'flac', filters: 'sine=frequency=700:sample_rate=48000:duration=3,aformat=sample_fmts=s32' },
    ])
    expect(line(await checkOf('twice.mkv', 'once.flac', soundSpecOf('sound-flac')), 'sound rate')).toMatchObject({
      verdict: 'fail',
      expected: '48000 Hz, 2 ch',
      found: '48000 Hz, 1 ch',
    })
    await writeTracks(at('slower.flac').path, 'flac', [
      { encoder: 'flac', filters: `${tone(700, 44_100)},aformat=sample_fmts=s32` },
    ])
    expect(line(await checkOf('twice.mkv', 'slower.flac', soundSpecOf('sound-flac')), 'sound rate')).toMatchObject({
      verdict: 'fail',
      found: '44100 Hz, 2 ch',
    })
  })

  test('finds a lossless result that is another sound', async () => {
    await extractAndCheck(at('two.mkv'), soundSpecOf('sound-wav'), at('other.wav').path)
    await writeClip({
      path: at('almost.mkv').path,
      format: 'matroska',
      video: picture,
      audio: [{ encoder: 'pcm_s16le', filters: `${tone(1000)},volume=0.999:precision=float,aformat=sample_fmts=s16` }],
    })
    const check = await checkOf('almost.mkv', 'other.wav', soundSpecOf('sound-wav'))
    expect(line(check, 'sound likeness')).toMatchObject({ verdict: 'fail', expected: 'identical' })
  })

  test('tells how far a coded result is from its source', async () => {
    await extractAndCheck(at('two.mkv'), soundSpecOf('sound-m4a'), at('coded.m4a').path)
    const near = await checkOf('two.mkv', 'coded.m4a', soundSpecOf('sound-m4a'))
    // A pure tone is easy: what the codec leaves is far below it.
    expect(near.measurement.likeness[0]!.signalToNoise).toBeGreaterThan(30)
    await writeClip({
      path: at('noise.mkv').path,
      format: 'matroska',
      video: picture,
      audio: [
        {
          encoder: 'pcm_s16le',
          filters: 'anoisesrc=d=3:c=white:r=48000:a=0.3:s=1,aformat=sample_fmts=s16:channel_layouts=stereo',
        },
      ],
    })
    const far = await checkOf('noise.mkv', 'coded.m4a', soundSpecOf('sound-m4a'))
    expect(line(far, 'sound likeness')).toMatchObject({ verdict: 'look' })
  })
})

test('a forecast of sound holds for the whole', async () => {
  const facts = await readFacts(at('alone.wav'))
  for (const key of ['sound-flac', 'sound-m4a']) {
    const spec = soundSpecOf(key)
    const treatment = deriveTreatment(facts, spec)
    const sample = await measureSoundSample(
      { input: at('alone.wav'), facts, treatment, spec, scratchDirectory: scratch, machine: 'this machine' },
      openGate,
    )
    expect(sample.soundWindows).toHaveLength(5)
    const { bytes, measuredFrom } = forecastJob(sample, {
      frames: 0,
      pixels: 0,
      durationSeconds: treatment.seconds,
      keyframeDistance: 1,
      container: spec.container,
      sizeIs: key === 'sound-flac' ? 'by quality' : 'by format',
    })
    const { check } = await extractAndCheck(at('alone.wav'), spec, at(`whole-${key}`).path)
    expect(check.measurement.bytes).toBeGreaterThan(bytes.low)
    expect(check.measurement.bytes).toBeLessThan(bytes.high)
    expect(measuredFrom).toContain('20 of 22 s of sound in 5 stretches')
  }
  expect((await readdir(scratch)).filter(name => name.startsWith('stretch-'))).toEqual([])
})

describe('a trial of sound alone', () => {
  test('keeps what is heard and a drawing of it', async () => {
    const facts = await readFacts(at('alone.wav'))
    const spec = soundSpecOf('sound-m4a')
    const treatment = deriveTreatment(facts, spec, [{ kind: 'loudness', target: -23 }])
    const directory = path.join(scratch, 'trials', '1')
    const result = await runSoundTrialMoment(
      {
        input: at('alone.wav'),
        facts,
        treatment,
        spec,
        moment: { reason: 'by hand', from: 10, to: 14 },
        index: 0,
        directory,
        sourceId: 7,
      },
      openGate,
    )
    expect(result).toMatchObject({ frames: 0, before: null, after: null })
    expect(result.soundSeconds).toBeCloseTo(4, 1)
    expect(result.loudness!.before! - result.loudness!.after!).toBeGreaterThan(3)
    expect(result.loudness!.after).toBeCloseTo(-23, -0.3)
    for (const file of [
      'result-0.m4a',
      'moment-0.wav',
      'moment-0.sheet',
      'moment-0.jpg',
      '../source-7-10.000-14.000-0.wav',
      '../source-7-10.000-14.000-0.sheet',
    ])
      await access(path.join(directory, file))
    const sheet = await readFile(path.join(directory, 'moment-0.sheet'))
    const header = JSON.parse(sheet.subarray(4, 4 + sheet.readUInt32LE(0)).toString()) as {
      frames: { seconds: number }[]
    }
    expect(header.frames.length).toBeGreaterThanOrEqual(48)
    expect(header.frames[12]!.seconds).toBe(1)
  })

  test("of another track keeps that track's sound, and draws the source once", async () => {
    const facts = await readFacts(at('two.mkv'))
    const spec = soundSpecOf('sound-flac')
    const directory = path.join(scratch, 'trials', '2')
    const tried = async (track: number, index: number) => {
      const treatment = deriveTreatment(facts, spec, [{ kind: 'keep-tracks', tracks: [track] }])
      return runSoundTrialMoment(
        {
          input: at('two.mkv'),
          facts: deliveredFacts(facts, treatment),
          treatment,
          spec,
          moment: { reason: 'by hand', from: 1, to: 2 },
          index,
          directory,
          sourceId: 9,
        },
        openGate,
      )
    }
    await tried(0, 0)
    const drawn = (await stat(path.join(scratch, 'trials', 'source-9-1.000-2.000-1.sheet'))).mtimeMs
    await tried(0, 1)
    expect((await stat(path.join(scratch, 'trials', 'source-9-1.000-2.000-1.sheet'))).mtimeMs).toBe(drawn)
    await tried(1, 2)
    const pitch = async (name: string) => {
      const { rate, values } = await soundOf({ kind: 'file', path: path.join(scratch, 'trials', name) })
      return toneOf(values, rate)
    }
    expect(await pitch('source-9-1.000-2.000-1.wav')).toBeCloseTo(1000, 0)
    expect(await pitch('source-9-1.000-2.000-2.wav')).toBeCloseTo(3000, 0)
    expect(await pitch('2/moment-2.wav')).toBeCloseTo(3000, 0)
  })

  test('that is trimmed off says so, and one at half the speed takes twice as long', () => {
    const base = { steps: [], result: null, tracks: [0], seconds: 10, leftOut: [] }
    const moment = { reason: 'by hand' as const, from: 4, to: 6 }
    expect(() => soundStretchOf(moment, { ...base, timeline: { ranges: [{ from: 0, to: 3 }], speed: 1 } })).toThrow(
      'The treatment trims this moment off.',
    )
    expect(soundStretchOf(moment, { ...base, seconds: 20, timeline: { ranges: null, speed: 0.5 } })).toEqual({
      startSeconds: 8,
      seconds: 4,
    })
    expect(soundStretchOf(moment, { ...base, seconds: 5 })).toEqual({ startSeconds: 4, seconds: 1 })
  })

  test('draws a tone at the height of its pitch, octaves equally far apart', async () => {
    const heightOf = async (hertz: number) => {
      await writeSound(at(`${hertz}.wav`).path, tone(hertz))
      const { width, height, data } = await drawSound(at(`${hertz}.wav`).path)
      expect([width, height]).toEqual([960, 540])
      // The wave takes the upper 160 lines.
      const bright = (y: number) => data[(y * width + width / 2) * 3]! + data[(y * width + width / 2) * 3 + 1]!
      const rows = Array.from({ length: 380 }, (_, row) => 160 + row)
      const most = Math.max(...rows.map(bright))
      const brightest = rows.filter(y => bright(y) === most)
      return height - brightest[Math.floor(brightest.length / 2)]!
    }
    const [low, middle, high] = [await heightOf(2000), await heightOf(4000), await heightOf(8000)]
    expect(middle - low).toBeGreaterThan(20)
    expect(Math.abs(high - middle - (middle - low))).toBeLessThanOrEqual(3)
  })
})
