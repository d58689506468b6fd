import { readdirSync } from 'node:fs'
import { readFile } from 'node:fs/promises'
import path from 'node:path'
import { deriveTreatment, powerAt, type Step } from '@hematine/core'
import { beforeAll, describe, expect, test } from 'vitest'
import { readFacts, setUpLibraries, transcode, type MediaInput } from '../src/index.ts'
import { writeMomentSound } from '../src/previews/moment-sound.ts'
import { deliveredChannels, deliveredLayout } from '../src/sound/sound-treatment.ts'
import { makeAndCheck, openGate, specOf } from '../../../tests/support/jobs.ts'
import { losslessEncoder, writeClip } from '../../../tests/support/material.ts'
import { scratchDirectory } from '../../../tests/support/scratch.ts'
import { soundOf, toneOf } from '../../../tests/support/sound.ts'

const scratch = scratchDirectory()
const at = (name: string): MediaInput & { kind: 'file' } => ({ kind: 'file', path: path.join(scratch, name) })
beforeAll(() => setUpLibraries())

async function clip(name: string, sound: string, encoder = 'pcm_s16le'): Promise<void> {
  await writeClip({
    path: at(name).path,
    format: 'matroska',
    video: { encoder: losslessEncoder, filters: 'testsrc2=s=160x120:r=25:d=2,format=yuv420p,setsar=1' },
    audio: [{ encoder, filters: sound }],
  })
}

async function deliver(
  source: string,
  steps: Step[] = [],
): Promise<{ rate: number; start: number; values: Int32Array }> {
  const input = at(source)
  const facts = await readFacts(input)
  const spec = specOf('archive-master')
  const outputPath = at(`${source}-archive.mkv`).path
  await transcode(
    { input, facts, treatment: deriveTreatment(facts, spec, steps), spec, outputPath },
    openGate,
    () => undefined,
  )
  return soundOf({ kind: 'file', path: outputPath })
}

describe('sound in several languages', () => {
  test('comes out in those that the spec keeps, in its order, each with the sound that it had', async () => {
    const tone = (hertz: number, language?: string) => ({
      encoder: 'pcm_s16le',
      filters: `sine=frequency=${hertz}:sample_rate=48000:duration=1,aformat=sample_fmts=s16:channel_layouts=stereo`,
      ...(language ? { language } : {}),
    })
    await writeClip({
      path: at('languages.mkv').path,
      format: 'matroska',
      video: {
        encoder: losslessEncoder,
        filters: 'testsrc2=s=160x120:r=25:d=1,format=yuv420p,setsar=1',
      },
      audio: [tone(500, 'eng'), tone(700, 'ger'), tone(900), tone(1100, 'fre')],
    })
    const small = specOf('small-mkv')
    const spec = { ...small, audio: { ...small.audio!, languages: ['fr', 'en'] } }
    const outputPath = at('languages-small.mkv').path
    const { check } = await makeAndCheck(at('languages.mkv'), spec, outputPath)
    expect(check.lines.filter(line => line.verdict === 'fail')).toEqual([])
    const { audio } = await readFacts({ kind: 'file', path: outputPath })
    expect(audio.map(track => track.language)).toEqual(['fre', 'eng', null])
    for (const [index, hertz] of [1100, 500, 900].entries()) {
      const { rate, values } = await soundOf({ kind: 'file', path: outputPath }, index)
      expect(toneOf(values, rate)).toBeCloseTo(hertz, -1)
    }
  })
})

describe('sound', () => {
  test('keeps its pitch and its length when it is resampled', async () => {
    await clip(
      'tone.mkv',
      'sine=frequency=1000:sample_rate=44100:duration=2,aformat=sample_fmts=s16:channel_layouts=stereo',
    )
    const { rate, values } = await deliver('tone.mkv')
    expect(rate).toBe(48_000)
    expect(toneOf(values, rate)).toBeCloseTo(1000, 0)
    expect(values.length / rate).toBeCloseTo(2, 2)
  })

  test('that begins late is led in by silence, so that it stays in step', async () => {
    await clip(
      'late.mkv',
      'sine=frequency=1000:sample_rate=48000:duration=1.5,asetpts=PTS+0.5/TB,aformat=sample_fmts=s16:channel_layouts=stereo',
    )
    const { rate, start, values } = await deliver('late.mkv')
    const loud = values.findIndex(value => Math.abs(value) > 1 << 24)
    expect(start + loud / rate).toBeCloseTo(0.5, 2)
  })
})

describe('sound of a moment', () => {
  test('is the stretch to the sample, with its loudness', async () => {
    // ITU-R BS.1770: a sine of 997 Hz at full scale in one channel is -3.01 LUFS, so 20 dB below it in both channels it is -20.
    await clip(
      'moment.mkv',
      "aevalsrc='0.1*sin(2*PI*997*t)*between(t,0.5,1.5)|0.1*sin(2*PI*997*t)*between(t,0.5,1.5)':s=48000:d=2,aformat=sample_fmts=s16:channel_layouts=stereo",
    )
    const facts = await readFacts(at('moment.mkv'))
    const file = path.join(scratch, 'moment.wav')
    expect(await writeMomentSound(file, at('moment.mkv'), facts, 0.75, 0.6, openGate)).toBeCloseTo(-20, 0)
    const bytes = await readFile(file)
    expect(bytes.subarray(0, 4).toString()).toBe('RIFF')
    expect(bytes.readUInt32LE(40)).toBe(bytes.length - 44)
    expect((bytes.length - 44) / 4).toBe(0.6 * 48_000)
    // It sounds from its first sample on: nothing of the silence before it is in it.
    const samples = new Int16Array(bytes.buffer.slice(bytes.byteOffset + 44, bytes.byteOffset + bytes.length))
    expect(Math.max(...samples.subarray(0, 200))).toBeGreaterThan(3000)
    expect(readdirSync(scratch).filter(name => name.endsWith('.part'))).toEqual([])
  })

  test('without sound there is no file, and silence has no loudness', async () => {
    await clip('silence.mkv', 'anullsrc=r=48000:cl=stereo,atrim=duration=2,aformat=sample_fmts=s16')
    const facts = await readFacts(at('silence.mkv'))
    expect(
      await writeMomentSound(path.join(scratch, 'silence.wav'), at('silence.mkv'), facts, 0, 1, openGate),
    ).toBeNull()
    expect(
      await writeMomentSound(
        path.join(scratch, 'none.wav'),
        at('silence.mkv'),
        { ...facts, audio: [] },
        0,
        1,
        openGate,
      ),
    ).toBeUndefined()
    expect(readdirSync(scratch)).not.toContain('none.wav')
  })
})

describe('sound steps', () => {
  const stereo = (left: string, right: string, seconds = 2) =>
    `aevalsrc='${left}|${right}':s=48000:d=${seconds},aformat=sample_fmts=s16:channel_layouts=stereo`
  /** Level of a frequency in dB of full scale, away from the ends. */
  const levelAt = ({ values, rate }: { values: Int32Array; rate: number }, hertz: number) => {
    const middle = Float32Array.from(
      values.slice(Math.floor(values.length * 0.3), Math.floor(values.length * 0.9)),
      value => value / 2 ** 31,
    )
    return 10 * Math.log10(Math.max(1e-12, powerAt(middle, hertz, rate)))
  }

  test('hum and its multiples go, speech between them stays', async () => {
    await clip('hum.mkv', stereo('0.1*sin(2*PI*50*t)+0.05*sin(2*PI*150*t)+0.1*sin(2*PI*430*t)', '0'))
    const [before, after] = [await deliver('hum.mkv'), await deliver('hum.mkv', [{ kind: 'sound-hum', hertz: 50 }])]
    for (const hertz of [50, 150]) expect(levelAt(before, hertz) - levelAt(after, hertz)).toBeGreaterThan(20)
    expect(Math.abs(levelAt(before, 430) - levelAt(after, 430))).toBeLessThan(1)
  })

  test('noise falls under a tone that stays', async () => {
    await clip(
      'hiss.mkv',
      "anoisesrc=a=0.02:r=48000:d=4:c=white:seed=5,aformat=channel_layouts=stereo[n];aevalsrc='0.2*sin(2*PI*440*t)*between(t,2,4)|0':s=48000:d=4[s];[n][s]amix=inputs=2:normalize=0,aformat=sample_fmts=s16:channel_layouts=stereo",
    )
    const rms = ({ values }: { values: Int32Array }) =>
      Math.sqrt(values.slice(24_000, 72_000).reduce((sum, value) => sum + (value / 2 ** 31) ** 2, 0) / 48_000)
    const [before, after] = [
      await deliver('hiss.mkv'),
      await deliver('hiss.mkv', [{ kind: 'sound-denoise', strength: 'strong' }]),
    ]
    expect(rms(after)).toBeLessThan(rms(before) * 0.5)
    expect(Math.abs(levelAt(before, 440) - levelAt(after, 440))).toBeLessThan(2)
  })

  test('speech comes clear of rumble, and its quiet words nearer to its loud ones', async () => {
    // "Words" of a voice's lower harmonics, a second each with pauses, the second one 16 dB below the first; a rumble of 30 Hz under all.
    const word = (from: number, gain: number) =>
      `${gain}*between(t,${from},${from + 1})*(0.5*sin(2*PI*200*t)+0.3*sin(2*PI*600*t)+0.2*sin(2*PI*1800*t))`
    await clip('speech.mkv', stereo(`${word(1, 0.7)}+${word(3, 0.111)}+0.05*sin(2*PI*30*t)`, '0', 5))
    const level = ({ values, rate }: { values: Int32Array; rate: number }, from: number, hertz: number) =>
      10 *
      Math.log10(
        Math.max(
          1e-12,
          powerAt(
            Float32Array.from(values.slice((from + 0.3) * rate, (from + 0.8) * rate), value => value / 2 ** 31),
            hertz,
            rate,
          ),
        ),
      )
    const [before, light, strong] = [
      await deliver('speech.mkv'),
      await deliver('speech.mkv', [{ kind: 'speech', strength: 'light' }]),
      await deliver('speech.mkv', [{ kind: 'speech', strength: 'strong' }]),
    ]
    const apart = (sound: typeof before) => level(sound, 1, 600) - level(sound, 3, 600)
    expect(apart(before)).toBeCloseTo(16, 0)
    expect(apart(light)).toBeLessThan(apart(before) - 2)
    expect(apart(strong)).toBeLessThan(apart(light))
    // Against the loud word, the rumble falls by more than 20 dB.
    const rumble = (sound: typeof before) => level(sound, 1, 30) - level(sound, 1, 600)
    expect(rumble(before) - rumble(light)).toBeGreaterThan(20)
  })

  test('channels are put where they were told', async () => {
    await clip('channels.mkv', stereo('0.2*sin(2*PI*300*t)', '0.2*sin(2*PI*700*t)'))
    const left = async (make: 'left on both' | 'right on both' | 'swapped') =>
      deliver('channels.mkv', [{ kind: 'channels', make }])
    expect(levelAt(await left('left on both'), 300)).toBeGreaterThan(-25)
    for (const make of ['right on both', 'swapped'] as const) {
      const sound = await left(make)
      expect(levelAt(sound, 700)).toBeGreaterThan(-25)
      expect(levelAt(sound, 300)).toBeLessThan(-60)
    }
  })

  test('moves later by silence and earlier by a cut', async () => {
    await clip('delay.mkv', stereo('0.4*sin(2*PI*1000*t)*gt(t,1)', '0'))
    const onset = async (milliseconds: number) => {
      const { rate, start, values } = await deliver('delay.mkv', [{ kind: 'sound-delay', milliseconds }])
      return start + values.findIndex(value => Math.abs(value) > 1 << 26) / rate
    }
    expect(await onset(250)).toBeCloseTo(1.25, 2)
    expect(await onset(-400)).toBeCloseTo(0.6, 2)
  })

  test('is slowed with its pitch kept, and trimmed with the picture', async () => {
    await clip('tempo.mkv', stereo('0.3*sin(2*PI*1000*t)', '0'))
    const slow = await deliver('tempo.mkv', [{ kind: 'speed', factor: 0.5, between: 'repeat', cutThreshold: 10 }])
    expect(slow.values.length / slow.rate).toBeCloseTo(4, 1)
    expect(toneOf(slow.values.slice(24_000, 120_000), slow.rate)).toBeCloseTo(1000, -1)
    await clip('steps.mkv', stereo('0.3*sin(2*PI*(500+500*floor(t))*t)', '0'))
    const kept = await deliver('steps.mkv', [
      {
        kind: 'trim',
        ranges: [
          { from: 0.2, to: 0.6 },
          { from: 1.2, to: 1.6 },
        ],
      },
    ])
    expect(kept.values.length / kept.rate).toBeCloseTo(0.8, 1)
    expect(toneOf(kept.values.slice(2000, 17_000), kept.rate)).toBeCloseTo(500, -1)
    expect(toneOf(kept.values.slice(21_000, 36_000), kept.rate)).toBeCloseTo(1000, -1)
  })

  test('comes to its loudness', async () => {
    // A stereo sine of 1 kHz with a peak of -30 dBFS has -30 LUFS (EBU Tech 3341); 7 LU are missing to -23.
    await clip('quiet.mkv', stereo('0.03162*sin(2*PI*1000*t)', '0.03162*sin(2*PI*1000*t)', 8))
    const [before, after] = [
      await deliver('quiet.mkv'),
      await deliver('quiet.mkv', [{ kind: 'loudness', target: -23 }]),
    ]
    expect(Math.abs(levelAt(after, 1000) - levelAt(before, 1000) - 7)).toBeLessThan(1.5)
  })
})

describe('channels', () => {
  const track = (channels: number, layout: string) => ({
    streamIndex: 1,
    codec: 'ac3',
    profile: null,
    channels,
    layout,
    sampleRate: 48_000,
    bitsPerSecond: null,
    language: null,
    title: null,
  })

  test.each([
    ['playback-box', 6, '5.1(side)', 'stereo', 2],
    ['playback-box', 1, 'mono', 'mono', 1],
    ['small-mkv', 6, '5.1(side)', '5.1(side)', 6],
    ['small-mkv', 8, '7.1', '5.1', 6],
    ['archive-master', 8, '7.1', '7.1', 8],
    ['archive-master', 3, '3.0', '3.0', 3],
    ['small-mkv', 3, '3.0', '3.0', 3],
    ['small-mkv', 3, '2.1', 'stereo', 2],
    ['playback-box', 3, '2.1', 'stereo', 2],
  ])('%s takes %i channels (%s) as %s', (key, channels, layout, delivered, count) => {
    expect(deliveredLayout(track(channels, layout), specOf(key))).toBe(delivered)
    expect(deliveredChannels(track(channels, layout), specOf(key))).toBe(count)
  })

  test('mixes to mono where the spec has one channel and the codec cannot say the layout', () => {
    const spec = specOf('small-mkv')
    expect(deliveredLayout(track(3, '2.1'), { ...spec, audio: { ...spec.audio!, maxChannels: 1 } })).toBe('mono')
  })

  test.each([
    ['3.0', 3, 'flac', '3.0'],
    ['2.1', 3, 'flac', '2.1'],
    ['quad', 4, 'flac', 'quad'],
    // PCM in this container does not state its speakers.
    ['3.0', 3, 'pcm_s16le', '3.0'],
    ['4.0', 4, 'pcm_s16le', '4.0'],
    ['7.1', 8, 'pcm_s16le', '7.1'],
  ])('sound of %s keeps its %i channels apart (%s)', async (layout, count, encoder, delivered) => {
    const name = `${layout} ${encoder}.mkv`
    const hertz = (channel: number) => 400 * (channel + 1)
    const tones = Array.from({ length: count }, (_, channel) => `0.1*sin(2*PI*${hertz(channel)}*t)`).join('|')
    await clip(name, `aevalsrc='${tones}':s=48000:d=1:c=${layout},aformat=sample_fmts=s16`, encoder)
    await deliver(name)
    const result = at(`${name}-archive.mkv`)
    expect((await readFacts(result)).audio[0]).toMatchObject({ channels: count, layout: delivered })
    for (let channel = 0; channel < count; channel++) {
      const { values, rate } = await soundOf(result, 0, channel)
      expect(toneOf(values, rate)).toBeCloseTo(hertz(channel), -1)
    }
  })
})
