import { copyFile, open, readFile, stat } from 'node:fs/promises'
import path from 'node:path'
import { deriveTreatment, specProblems, type Container, type PictureSpec, type Step } from '@hematine/core'
import { beforeAll, describe, expect, test } from 'vitest'
import { readFacts, setUpLibraries, transcode, type MediaInput } from '../src/index.ts'
import { chaptersIn } from '../src/reading/chapters.ts'
import { writeMatroskaChapters } from '../src/encoding/chapters/matroska.ts'
import { extractAndCheck, makeAndCheck, soundSpecOf } from '../../../tests/support/jobs.ts'
import { writePlainClip } from '../../../tests/support/material.ts'
import { scratchDirectory } from '../../../tests/support/scratch.ts'
import { pictureSpec } from '../../../tests/support/specs.ts'

/** Chapters are written by our own code, and read in these tests by the library's readers. */
const scratch = scratchDirectory()
const at = (name: string) => path.join(scratch, name)
const fileAt = (name: string): MediaInput & { kind: 'file' } => ({ kind: 'file', path: at(name) })
const source = fileAt('parted.mkv')
const chapters = [
  { from: 0, title: 'Ebb' },
  { from: 3.25, title: 'Flood: “Springtide”, 大潮' },
  { from: 7.5, title: null },
]

async function write(file: string, list: readonly { from: number; title: string | null }[], seconds: number) {
  const handle = await open(file, 'r+')
  await writeMatroskaChapters(handle, list, seconds)
  await handle.close()
}

beforeAll(async () => {
  setUpLibraries()
  await writePlainClip(at('plain.mkv'), 12)
  await copyFile(at('plain.mkv'), source.path)
  await write(source.path, chapters, 12)
})

const spec = (container: Container): PictureSpec => ({
  ...(container === 'webm'
    ? pictureSpec(container, 'av1', 'opus', { kind: 'constant quality', value: 50 })
    : pictureSpec(container, 'h264', 'aac', { kind: 'constant quality', value: 30 })),
  keepsChapters: true,
})
const failing = ({ check }: { check: { lines: { name: string; verdict: string }[] } }) =>
  check.lines.filter(line => line.verdict === 'fail').map(line => line.name)
const near = (list: readonly { from: number; title: string | null }[]) =>
  list.map(({ from, title }) => ({ from: expect.closeTo(from, 3) as number, title }))

describe('chapters of a source', () => {
  test('are read, and the file is whole beside them', async () => {
    const facts = await readFacts(source)
    expect(facts.chapters).toEqual(near(chapters))
    expect([facts.video!.frameCount, facts.video!.frameCountFrom]).toEqual([120, 'packets'])
    expect((await stat(source.path)).size).toBeGreaterThan((await stat(at('plain.mkv'))).size)
    expect((await readFacts(fileAt('plain.mkv'))).chapters).toBeUndefined()
  })

  test.each(['mkv', 'webm', 'mp4', 'mov'] as const)('are those of a result in %s', async container => {
    const wanted = spec(container)
    expect(specProblems(wanted)).toEqual([])
    const made = await makeAndCheck(source, wanted, at(`kept.${container}`))
    expect(failing(made)).toEqual([])
    const facts = await readFacts(fileAt(`kept.${container}`))
    // A track of text has a text for each chapter: where none is told, its number.
    const isMovie = container === 'mp4' || container === 'mov'
    expect(facts.chapters).toEqual(
      near(chapters.map(({ from, title }) => ({ from, title: isMovie ? (title ?? '3') : title }))),
    )
    // The track that holds them is no subtitle track.
    expect(facts.subtitles).toEqual([])
    expect(facts.audio.map(track => [track.language, track.title])).toEqual([['eng', null]])
    expect(facts.durationSeconds).toBeCloseTo(12, 1)
  })

  test('begin where what is left of them begins, and their sound does too', async () => {
    const steps: Step[] = [
      {
        kind: 'trim',
        ranges: [
          { from: 2, to: 4 },
          { from: 8, to: 11 },
        ],
      },
    ]
    const made = await makeAndCheck(source, spec('mkv'), at('cut.mkv'), steps)
    expect(failing(made)).toEqual([])
    // 2 to 3.25 s of the first, 3.25 to 4 s of the second, then the third.
    const left = [
      { from: 0, title: 'Ebb' },
      { from: 1.25, title: chapters[1]!.title },
      { from: 2, title: null },
    ]
    expect((await readFacts(fileAt('cut.mkv'))).chapters).toEqual(near(left))
  })

  test.each([
    ['mka', 'sound-archive-mka'],
    ['m4a', 'sound-m4a'],
  ])('stay with sound alone in %s', async (container, key) => {
    const named = { ...soundSpecOf(key), keepsChapters: true }
    expect(specProblems(named)).toEqual([])
    const made = await extractAndCheck(source, named, at(`sound.${container}`))
    expect(failing(made)).toEqual([])
    const facts = await readFacts(fileAt(`sound.${container}`))
    expect(facts.chapters!.map(({ from }) => from)).toEqual(
      chapters.map(({ from }) => expect.closeTo(from, 2) as number),
    )
    expect(facts.chapters!.slice(0, 2).map(({ title }) => title)).toEqual(['Ebb', chapters[1]!.title])
    if (container === 'm4a') expect((await readFile(at('sound.m4a'))).toString('latin1', 4, 12)).toBe('ftypM4A ')
    expect([facts.audio[0]!.title, facts.audio.length, facts.video, facts.subtitles]).toEqual([null, 1, null, []])
  })

  test('are left out where the spec does not keep them, or one alone would part nothing', async () => {
    await makeAndCheck(source, { ...spec('mkv'), keepsChapters: false }, at('without.mkv'))
    expect((await readFacts(fileAt('without.mkv'))).chapters).toBeUndefined()
    await makeAndCheck(source, spec('mp4'), at('one.mp4'), [{ kind: 'trim', ranges: [{ from: 4, to: 6 }] }])
    expect((await readFacts(fileAt('one.mp4'))).chapters).toBeUndefined()
  })

  test.each(['mkv', 'mp4'] as const)('that a source promises and does not reach are none in %s', async container => {
    const facts = await readFacts(source)
    // By its head the source is twice as long, and its second chapter lies where nothing is.
    const promised = {
      ...facts,
      durationSeconds: 24,
      video: { ...facts.video!, frameCount: 240, slots: 240 },
      chapters: [chapters[0]!, { from: 15, title: 'Never' }],
    }
    const treatment = deriveTreatment(promised, spec(container))
    const outputPath = at(`short.${container}`)
    await transcode(
      { input: source, facts: promised, treatment, spec: spec(container), outputPath },
      { turn: async () => undefined },
      () => undefined,
    )
    const made = await readFacts(fileAt(`short.${container}`))
    expect([made.chapters, made.subtitles, made.video!.frameCount]).toEqual([undefined, [], 120])
  })

  test('that are not the planned ones fail the check', async () => {
    const made = await makeAndCheck(source, spec('mkv'), at('other.mkv'))
    const { judge } = await import('@hematine/core')
    const measured = { ...made.check.measurement, chapters: [chapters[0]!, { ...chapters[1]!, from: 3.4 }] }
    const check = judge(measured, spec('mkv'), made.treatment, { facts: made.facts, findings: [] })
    expect(check.lines.find(line => line.name === 'chapters')).toMatchObject({
      expected: '3',
      found: '2, 2 of them elsewhere',
      verdict: 'fail',
    })
  })

  test('of two hundred are kept, more than the size of one byte tells', async () => {
    await copyFile(at('plain.mkv'), at('many.mkv'))
    const many = Array.from({ length: 200 }, (_, index) => ({ from: index * 0.05, title: `Chapter ${index + 1}` }))
    await write(at('many.mkv'), many, 12)
    for (const container of ['mkv', 'mp4'] as const) {
      const made = await makeAndCheck(fileAt('many.mkv'), spec(container), at(`many-kept.${container}`))
      expect(failing(made)).toEqual([])
      expect((await readFacts(fileAt(`many-kept.${container}`))).chapters).toEqual(near(many))
    }
  })
})

describe('the library’s description of a file', () => {
  test('gives chapters and no other titles', () => {
    const described = [
      ...["Input #0, matroska,webm, from 'x':", '  Metadata:', '    title           : ', 'The film', ''],
      ...['  Duration: ', '00:00:12.00', ', start: ', '0.000000', ''],
      ...['  Chapters:', '    Chapter #0:0: ', 'start 0.000000, ', 'end 3.250000', '      Metadata:'],
      ...['        title           : ', 'Ebb : and', ' flow', '', '        comment         : ', 'none', ''],
      ...['    Chapter #0:1: ', 'start 3.250000, ', 'end 12.000000'],
      ...['  Stream #0', ':0', ': Video: ffv1', '', '    Metadata:', '      title           : ', 'A track', ''],
    ]
    expect(chaptersIn(described)).toEqual([
      { from: 0, title: 'Ebb : and flow' },
      { from: 3.25, title: null },
    ])
  })
})
