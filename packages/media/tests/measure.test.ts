import { truncate, stat, writeFile } from 'node:fs/promises'
import { createRequire } from 'node:module'
import path from 'node:path'
import { makeFaultyClip } from '@hematine/demo/faulty-clips'
import { chooseMoments, findingsOf, framesIn } from '@hematine/core'
import { beforeAll, describe, expect, test } from 'vitest'
import { quoteOption } from '../src/treating/font.ts'
import { measureSource, readFacts, setUpLibraries, stripFrames } from '../src/index.ts'
import { scratchDirectory } from '../../../tests/support/scratch.ts'
import { writeClip, writeTracks } from '../../../tests/support/material.ts'

const directory = scratchDirectory()
const gate = { turn: async () => undefined }
beforeAll(setUpLibraries)

async function measured(file: string) {
  const input = { kind: 'file' as const, path: file }
  const { measurement, facts } = await measureSource(input, await readFacts(input), 'sampled', gate)
  return { input, facts, measurement, found: findingsOf(facts, measurement) }
}

describe('what is measured of made-up clips with known faults', () => {
  test('bottom field first with noise and a hum of 50 Hz', async () => {
    const clip = await makeFaultyClip(directory, 31, ['stone'], {
      structure: 'bottom field first',
      look: 'none',
      sound: 'hum of 50 Hz',
      seconds: 4,
    })
    const { measurement, found } = await measured(clip.path)
    expect(measurement.picture).toMatchObject({ width: 640, height: 480, framesPerSecond: 25, whole: true })
    expect(found.find(entry => entry.key === 'scan')!.says).toBe('Interlaced, bottom field first.')
    expect(found.find(entry => entry.key === 'hum')!.says).toContain('50 Hz, 100 Hz')
    expect(measurement.sound[0]!.secondsMeasured).toBeCloseTo(4, 0)
  })

  test('cuts are found at their frames, and borders to the pixel', async () => {
    const clip = await makeFaultyClip(directory, 32, ['shapes', 'sea'], {
      structure: 'borders',
      look: 'none',
      sound: 'none',
      seconds: 6,
    })
    const { found, measurement } = await measured(clip.path)
    expect(
      found.find(entry => entry.key === 'cuts')!.places.map(place => framesIn(place.seconds, { num: 25, den: 1 })),
    ).toEqual([50, 100])
    expect(found.some(entry => entry.key === 'borders')).toBe(true)
    expect(measurement.tookSeconds).toBeLessThan(60)
  })

  test('one that is looked through tells of each cut at its frame, and takes no flash for one', async () => {
    const file = path.join(directory, 'shots.mkv')
    const at = 's=96x72:r=25'
    await writeClip({
      path: file,
      format: 'matroska',
      video: {
        encoder: 'libx264',
        keyframeDistance: 250,
        options: { preset: 'ultrafast' },
        // A flash at 10 s, cuts at 40.04, 60 (to black, which fades in), 90 and 131.2 s.
        filters: [
          `testsrc2=${at}:d=40.04,drawbox=color=white@0.6:t=fill:enable='between(t,10,10.4)'[a]`,
          `mandelbrot=${at}:maxiter=40:end_pts=60,trim=duration=19.96,setpts=PTS-STARTPTS,format=yuv420p[b]`,
          `smptebars=${at}:d=30,fade=in:0:40[c]`,
          `testsrc=${at}:d=41.2[d]`,
          `yuvtestsrc=${at}:d=5,format=yuv420p[e]`,
          '[a][b][c][d][e]concat=n=5,format=yuv420p,setsar=1',
        ].join(';'),
      },
      audio: [],
    })
    const input = { kind: 'file' as const, path: file }
    const parts: number[] = []
    const progress = (part: number) => parts.push(part)
    const { measurement, facts } = await measureSource(input, await readFacts(input), 'sampled', gate, progress, true)
    expect(measurement.picture!.whole).toBe(false)
    expect(measurement.picture!.cuts).toEqual([40.04, 60, 90, 131.2])
    expect(findingsOf(facts, measurement).find(({ key }) => key === 'cuts')!.says).toBe('4 cuts.')
    // Progress goes on over both looks at it, and never back.
    expect(parts).toEqual([...parts].sort((a, b) => a - b))
    expect(parts.filter(part => part < 1).length).toBeGreaterThan(3400)
  })

  test('long sources are sampled from the first frame to the last', async () => {
    const file = path.join(directory, 'long.mkv')
    await writeClip({
      path: file,
      format: 'matroska',
      video: {
        encoder: 'libx264',
        keyframeDistance: 25,
        options: { preset: 'ultrafast' },
        filters: 'testsrc2=s=320x240:r=25:d=40,format=yuv420p',
      },
      audio: [],
    })
    const { measurement, facts, input } = await measured(file)
    const { windows, whole } = measurement.picture!
    expect(whole).toBe(false)
    expect(windows).toHaveLength(10)
    expect(windows[0]!.seconds[0]).toBe(0)
    expect(windows[9]!.seconds.at(-1)).toBeCloseTo(39.96, 2)
    for (const window of windows) expect(window.scan).toHaveLength(25)
    const strip = await stripFrames(input, facts.video!, facts.durationSeconds, gate)
    expect(strip).toHaveLength(12)
    expect(strip.map(entry => entry.seconds)).toEqual([...strip.map(entry => entry.seconds)].sort((a, b) => a - b))
  })

  test('a title that stands for some seconds becomes a moment', async () => {
    const file = path.join(directory, 'title.mkv')
    const font = createRequire(import.meta.url).resolve(
      '@fontsource/atkinson-hyperlegible-next/files/atkinson-hyperlegible-next-latin-600-normal.woff',
    )
    const title = `drawtext=fontfile=${quoteOption(font)}:text='Skerry Lights, the keeper and the log':fontcolor=white:fontsize=30:x=40:y=400:enable='between(t,17,23)'`
    await writeClip({
      path: file,
      format: 'matroska',
      video: {
        encoder: 'libx264',
        keyframeDistance: 10,
        options: { preset: 'ultrafast', crf: '18' },
        filters: `gradients=s=640x480:r=10:d=40:c0=0x203040:c1=0x607080:speed=0.01,${title},format=yuv420p`,
      },
      audio: [],
    })
    const { measurement, facts } = await measured(file)
    const letters = chooseMoments(measurement.picture, facts.durationSeconds!).filter(
      moment => moment.reason === 'lettering',
    )
    expect(letters).toHaveLength(1)
    expect(letters[0]!.from).toBeGreaterThan(16)
    expect(letters[0]!.to).toBeLessThan(24)
  })

  test('sound alone: loudness by EBU R 128, to 0.1 LU', async () => {
    // A stereo sine of 1 kHz whose peak is -18 dBFS has -18 LUFS (EBU Tech 3341).
    const file = path.join(directory, 'tone.mkv')
    await writeClip({
      path: file,
      format: 'matroska',
      video: { encoder: 'ffv1', filters: 'color=c=gray:s=64x64:r=5:d=20,format=yuv420p' },
      audio: [
        {
          encoder: 'pcm_s24le',
          filters:
            "aevalsrc='0.12589*sin(2*PI*1000*t)|0.12589*sin(2*PI*1000*t)':s=48000:d=20,aformat=sample_fmts=s32:channel_layouts=stereo",
        },
      ],
    })
    const { measurement } = await measured(file)
    expect(measurement.sound[0]!.loudness).toBeCloseTo(-18, 1)
    expect(measurement.sound[0]!.truePeak).toBeCloseTo(-18, 1)
    expect(measurement.sound[0]!.channels[0]!.rms).toBeCloseTo(-21, 1)
    expect(measurement.sound[0]!.correlation).toBeCloseTo(1)
  })

  test('sound alone whose container begins at a later time is told of from its own beginning', async () => {
    const file = path.join(directory, 'late.mka')
    await writeTracks(file, 'matroska', [
      {
        encoder: 'pcm_s16le',
        filters:
          "aevalsrc='if(between(t,2,4),0,0.2*sin(2*PI*440*t))':s=48000:d=6,aformat=sample_fmts=s16:channel_layouts=mono,asetpts=PTS+5/TB",
      },
    ])
    const { measurement } = await measured(file)
    expect(measurement.sound[0]!.silences).toEqual([{ from: expect.closeTo(2, 1), to: expect.closeTo(4, 1) }])
    expect(measurement.sound[0]!.endSeconds).toBeCloseTo(6, 1)
  })

  test('a file that is cut short says where', async () => {
    const clip = await makeFaultyClip(directory, 33, ['shapes'], {
      structure: 'none',
      look: 'cut short',
      sound: 'none',
      seconds: 5,
    })
    const { found } = await measured(clip.path)
    expect(found.find(entry => entry.key === 'cut-short')!.says).toMatch(
      /^The file promises 12\d frames and holds \d\d: its picture ends at 0:0[234]/,
    )
  })
})

describe('bad input', () => {
  test('that cannot be decoded at all ends with a sentence', async () => {
    const file = path.join(directory, 'head.mp4')
    await writeClip({
      path: file,
      format: 'mp4',
      formatOptions: { movflags: '+faststart' },
      video: { encoder: 'libx264', filters: 'testsrc2=s=320x240:r=25:d=2,format=yuv420p' },
      audio: [],
    })
    const input = { kind: 'file' as const, path: file }
    const facts = await readFacts(input)
    await truncate(file, Math.round((await stat(file)).size * 0.05))
    await expect(measureSource(input, facts, 'sampled', gate)).rejects.toThrow(
      /could be decoded|cannot be opened|ends too early|damaged/,
    )
  })

  test('that is stopped ends with what stopped it', async () => {
    const clip = await makeFaultyClip(directory, 34, ['shapes'], {
      structure: 'none',
      look: 'none',
      sound: 'none',
      seconds: 2,
    })
    const input = { kind: 'file' as const, path: clip.path }
    const facts = await readFacts(input)
    await expect(
      measureSource(input, facts, 'sampled', {
        turn: async () => {
          throw new Error('stopped')
        },
      }),
    ).rejects.toThrow('stopped')
  })

  test('of nothing but text is refused before anything is measured', async () => {
    await writeFile(path.join(directory, 'notes.mov'), 'Lamp trimmed at dusk.\n'.repeat(50))
    await expect(readFacts({ kind: 'file', path: path.join(directory, 'notes.mov') })).rejects.toThrow(
      'cannot be opened',
    )
  })
})
