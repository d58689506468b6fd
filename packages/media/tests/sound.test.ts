import path from 'node:path'
import { deriveTreatment, toNumber } from '@hematine/core'
import { AVMEDIA_TYPE_AUDIO } from 'node-av/constants'
import { Frame } from 'node-av/lib'
import { beforeAll, describe, expect, test } from 'vitest'
import { StreamDecoder } from '../src/decoder.ts'
import { readFacts, silenceLibraries, transcode, type MediaInput } from '../src/index.ts'
import { deliveredChannels, deliveredLayout } from '../src/sound-treatment.ts'
import { openGate, specOf } from '../../../tests/support/jobs.ts'
import { writeClip } from '../../../tests/support/material.ts'
import { scratchDirectory } from '../../../tests/support/scratch.ts'

const scratch = scratchDirectory()
const at = (name: string): MediaInput & { kind: 'file' } => ({ kind: 'file', path: path.join(scratch, name) })
beforeAll(() => silenceLibraries())

async function clip(name: string, sound: string): Promise<void> {
  await writeClip({ path: at(name).path, format: 'matroska', video: { encoder: 'ffv1', options: { level: '3' }, filters: 'testsrc2=s=160x120:r=25:d=2,format=yuv420p,setsar=1' }, audio: [{ encoder: 'pcm_s16le', filters: sound }] })
}

/** First channel of a file's sound as samples of 24 bits in 32, with the time of the first. */
async function samplesOf(file: MediaInput): Promise<{ rate: number, start: number, values: Int32Array }> {
  const decoder = await StreamDecoder.openBest(file, AVMEDIA_TYPE_AUDIO, 1)
  const frame = new Frame()
  frame.alloc()
  const parts: Int32Array[] = []
  let [rate, start, channels] = [0, Number.NaN, 0]
  while (await decoder.next(frame)) {
    rate = frame.sampleRate
    channels = frame.channelLayout.nbChannels
    if (Number.isNaN(start)) start = Number(frame.pts) * toNumber(decoder.timeBase)
    const bytes = frame.data![0]!
    const all = new Int32Array(bytes.buffer, bytes.byteOffset, frame.nbSamples * channels)
    parts.push(Int32Array.from({ length: frame.nbSamples }, (_, index) => all[index * channels]!))
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
function toneOf(values: Int32Array, rate: number): number {
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

async function deliver(source: string): Promise<{ rate: number, start: number, values: Int32Array }> {
  const input = at(source)
  const facts = await readFacts(input)
  const spec = specOf('archive-master')
  const outputPath = at(`${source}-archive.mkv`).path
  await transcode({ input, facts, treatment: deriveTreatment(facts, spec), spec, outputPath }, openGate, () => undefined)
  return samplesOf({ kind: 'file', path: outputPath })
}

describe('sound', () => {
  test('keeps its pitch and its length when it is resampled', async () => {
    await clip('tone.mkv', 'sine=frequency=1000:sample_rate=44100:duration=2,aformat=sample_fmts=s16:channel_layouts=stereo')
    const { rate, values } = await deliver('tone.mkv')
    expect(rate).toBe(48_000)
    expect(toneOf(values, rate)).toBeCloseTo(1000, 0)
    expect(values.length / rate).toBeCloseTo(2, 2)
  })

  test('that begins late is led in by silence, so that it stays in step', async () => {
    await clip('late.mkv', 'sine=frequency=1000:sample_rate=48000:duration=1.5,asetpts=PTS+0.5/TB,aformat=sample_fmts=s16:channel_layouts=stereo')
    const { rate, start, values } = await deliver('late.mkv')
    const loud = values.findIndex(value => Math.abs(value) > 1 << 24)
    expect(start + loud / rate).toBeCloseTo(0.5, 2)
  })
})

describe('channels', () => {
  const track = (channels: number, layout: string) => ({ streamIndex: 1, codec: 'ac3', profile: null, channels, layout, sampleRate: 48_000, bitsPerSecond: null, language: null, title: null })

  test.each([
    ['playback-box', 6, '5.1(side)', 'stereo', 2], ['playback-box', 1, 'mono', 'mono', 1], ['small-mkv', 6, '5.1(side)', '5.1(side)', 6], ['small-mkv', 8, '7.1', '5.1', 6], ['archive-master', 8, '7.1', '7.1', 8],
  ])('%s takes %i channels (%s) as %s', (key, channels, layout, delivered, count) => {
    expect(deliveredLayout(track(channels, layout), specOf(key))).toBe(delivered)
    expect(deliveredChannels(track(channels, layout), specOf(key))).toBe(count)
  })
})
