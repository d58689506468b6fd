import { open, readFile, writeFile } from 'node:fs/promises'
import path from 'node:path'
import {
  containers,
  deriveTreatment,
  extentOf,
  forecastJob,
  judge,
  type Container,
  type SoundSpec,
  type SpecTags,
} from '@hematine/core'
import sharp from 'sharp'
import { beforeAll, describe, expect, test } from 'vitest'
import { writeMatroskaChapters } from '../src/encoding/chapters/matroska.ts'
import { measureSoundSample, readFacts, setUpLibraries, type MediaInput } from '../src/index.ts'
import { extractAndCheck, makeAndCheck, openGate } from '../../../tests/support/jobs.ts'
import { losslessEncoder, writeClip } from '../../../tests/support/material.ts'
import { rewrap } from '../../../tests/support/rewrap.ts'
import { scratchDirectory } from '../../../tests/support/scratch.ts'
import { pictureSpec, soundIn } from '../../../tests/support/specs.ts'

/** What files say of themselves, and their covers: into every container that has a place for them, read back from the bytes as well. */
const scratch = scratchDirectory()
const fileAt = (name: string): MediaInput & { kind: 'file' } => ({ kind: 'file', path: path.join(scratch, name) })
const tagged = fileAt('Tape 17.mkv')
const plain = fileAt('Tape 18.mkv')
const covered = fileAt('covered.flac')
const tags = {
  title: 'Lamp room, third däy',
  creation_time: '1987-05-04T10:11:12.000000Z',
  artist: 'Skerry Lights',
  comment: 'Night shift',
}
const all: SpecTags = { title: 'as the source', date: true, others: true, cover: true }
const chapters = [
  { from: 0, title: 'Ebb' },
  { from: 0.2, title: 'Flood' },
]
let picture: Buffer

beforeAll(async () => {
  setUpLibraries()
  await writeClip({
    path: plain.path,
    format: 'matroska',
    video: { encoder: losslessEncoder, filters: 'testsrc2=s=176x144:r=25:d=0.4,format=yuv420p,setsar=1' },
    audio: [
      {
        encoder: 'pcm_s16le',
        filters: 'aevalsrc=0.4*sin(2*PI*(200+300*t)*t):s=48000:d=0.4,aformat=sample_fmts=s16:channel_layouts=mono',
      },
    ],
  })
  await rewrap(plain.path, tagged.path, 'matroska', { tags })
  picture = await sharp({ create: { width: 60, height: 40, channels: 3, background: '#b4472e' } })
    .jpeg()
    .toBuffer()
  const sound = fileAt('sound.flac')
  const { facts } = await extractAndCheck(tagged, soundSpec('flac', undefined), sound.path)
  expect(facts.tags).toEqual(tags)
  await writeFile(covered.path, withPicture(await readFile(sound.path), picture))
})

/** A FLAC file with a front cover behind its stream's description (RFC 9639, 8.8). */
function withPicture(flac: Buffer, picture: Buffer, type = 'image/jpeg'): Buffer {
  const number = (value: number) => {
    const bytes = Buffer.alloc(4)
    bytes.writeUInt32BE(value)
    return bytes
  }
  const mime = Buffer.from(type)
  const body = Buffer.concat([
    ...[number(3), number(mime.length), mime, number(0), number(60), number(40), number(24), number(0)],
    ...[number(picture.length), picture],
  ])
  const head = number(body.length)
  head[0] = 6
  const behind = 4 + 4 + flac.readUIntBE(5, 3)
  return Buffer.concat([flac.subarray(0, behind), head, body, flac.subarray(behind)])
}

function soundSpec(container: Container, rule: SpecTags | undefined): SoundSpec {
  const { sampleRate: _rate, ...sound } = soundIn(containers[container].sound[0]!)
  return {
    key: 'sound',
    name: 'Sound',
    purpose: 'A test.',
    container,
    nameSuffix: '',
    video: null,
    audio: { ...sound, sampleRate: 48_000 },
    ...(rule ? { tags: rule } : {}),
  }
}

const faults = ({ lines }: ReturnType<typeof judge>) => lines.filter(line => line.verdict === 'fail')
const tagLine = ({ lines }: ReturnType<typeof judge>) => lines.find(line => line.name === 'tags')

const films = (Object.keys(containers) as Container[]).filter(
  container => containers[container].makes === 'moving picture' && 'tags' in containers[container],
)

/** Containers that have a place for tags. */
const withTags = (Object.keys(containers) as (keyof typeof containers)[]).filter(key => 'tags' in containers[key]) as (
  'mp4' | 'mov' | 'mkv' | 'webm' | 'avi' | 'wav' | 'flac' | 'm4a' | 'mka'
)[]
/** Tags whose words have a form. */
const said: Record<string, string> = {
  date: '1987-05-04',
  creation_time: '1987-05-04T10:11:12.000000Z',
  location: '+57.1-002.1/',
  track: '3/9',
}

describe('what a source says of itself', () => {
  test.each(films)('is said by a result in %s', async container => {
    const { cover: _none, ...rule } = all
    const spec = { ...pictureSpec(container, containers[container].picture[0]!, null), tags: rule }
    const { check, outputPath } = await makeAndCheck(tagged, spec, path.join(scratch, `film.${container}`))
    expect(faults(check)).toEqual([])
    expect(tagLine(check)?.found).toBe('as planned')
    const bytes = await readFile(outputPath)
    expect(bytes.includes(Buffer.from(tags.title))).toBe(true)
    expect(bytes.includes(Buffer.from(tags.comment))).toBe(true)
  })

  test.each(withTags)('has a place in %s for all that it is taken to have one for', async container => {
    // A source that says everything any container has a place for, each in words of its own.
    const every = Object.fromEntries(
      [...new Set(withTags.flatMap(key => (containers[key].tags === 'any' ? [] : containers[key].tags)))].map(name => [
        name,
        said[name] ?? `what is said as ${name}`,
      ]),
    )
    const source = fileAt('everything.mkv')
    await rewrap(plain.path, source.path, 'matroska', { tags: every })
    const rule: SpecTags = { title: 'as the source', date: true, others: true }
    const result = path.join(scratch, `everything-to.${container}`)
    const { check } =
      containers[container].makes === 'sound'
        ? await extractAndCheck(source, soundSpec(container, rule), result)
        : await makeAndCheck(
            source,
            { ...pictureSpec(container, containers[container].picture[0]!, null), tags: rule },
            result,
          )
    expect(faults(check)).toEqual([])
    // FLAC has one name for a comment and a description.
    const any = Object.keys(every).filter(name => container !== 'flac' || name !== 'description')
    const holds = containers[container].tags === 'any' ? any : [...containers[container].tags]
    expect(tagLine(check)!.expected.split(', ').sort()).toEqual(holds.sort())
    expect(tagLine(check)!.found).toBe('as planned')
    const bytes = await readFile(result)
    for (const name of holds)
      if (!(name in said)) expect(bytes.includes(Buffer.from(`what is said as ${name}`)), name).toBe(true)
  })

  test.each(['wav', 'flac', 'm4a', 'mka'] as const)('is said by sound alone in %s', async container => {
    const result = path.join(scratch, `sound-of.${container}`)
    const { check } = await extractAndCheck(
      tagged,
      soundSpec(container, { title: 'as the source', others: true }),
      result,
    )
    expect(faults(check)).toEqual([])
    expect(tagLine(check)?.found).toBe('as planned')
    expect((await readFile(result)).includes(Buffer.from(tags.artist))).toBe(true)
  })

  test('is its name where it says nothing and the rule wants one', async () => {
    const spec = { ...pictureSpec('mp4', 'h264', null), tags: { title: 'or its name' as const } }
    const { check, outputPath } = await makeAndCheck(plain, spec, path.join(scratch, 'named.mp4'), [], 'Tape 18.mkv')
    expect(faults(check)).toEqual([])
    expect((await readFacts({ kind: 'file', path: outputPath })).tags).toEqual({ title: 'Tape 18' })
  })

  test('is left out without a rule', async () => {
    const spec = pictureSpec('mp4', 'h264', null)
    const { check, outputPath } = await makeAndCheck(tagged, spec, path.join(scratch, 'silent.mp4'))
    expect(tagLine(check)).toBeUndefined()
    expect((await readFile(outputPath)).includes(Buffer.from(tags.artist))).toBe(false)
    expect((await readFacts({ kind: 'file', path: outputPath })).tags).toBeUndefined()
  })

  test('that a result lost is a fault', async () => {
    const spec = { ...pictureSpec('mp4', 'h264', null), tags: all }
    const { check, treatment, facts } = await makeAndCheck(tagged, spec, path.join(scratch, 'lost.mp4'))
    const { title: _lost, ...left } = check.measurement.tags!
    const judged = judge({ ...check.measurement, tags: left }, spec, treatment, { facts, findings: [] })
    expect(tagLine(judged)).toMatchObject({
      found: 'title missing or other',
      verdict: 'fail',
      reason: 'The result does not say of itself what the source says. Make it again.',
    })
  })
})

describe('a cover', () => {
  test('is a fact of its source', async () => {
    expect((await readFacts(covered)).cover).toMatchObject({
      codec: 'mjpeg',
      width: 60,
      height: 40,
      bytes: picture.length,
    })
  })

  test.each(['flac', 'm4a', 'mka'] as const)('goes along into %s as it is', async container => {
    const result = path.join(scratch, `covered-to.${container}`)
    const { check } = await extractAndCheck(covered, soundSpec(container, all), result)
    expect(faults(check)).toEqual([])
    expect(check.lines.find(line => line.name === 'cover')?.found).toMatch(/JPEG 60x40/)
    expect((await readFile(result)).includes(picture)).toBe(true)
  })

  test('is counted in what a result is forecast to weigh', async () => {
    const facts = await readFacts(covered)
    const sizes = []
    for (const rule of [undefined, all]) {
      const spec = soundSpec('m4a', rule)
      const treatment = deriveTreatment(facts, spec)
      const plan = { input: covered, facts, treatment, spec, scratchDirectory: scratch, machine: 'a test' }
      const sample = await measureSoundSample(plan, openGate)
      sizes.push(forecastJob(sample, extentOf({ spec, treatment })).bytes.expected)
    }
    expect(sizes[1]! - sizes[0]!).toBeCloseTo(picture.length, -1)
  })

  test.each(['m4a', 'mka'] as const)('that is a PNG goes along into %s as well', async to => {
    const image = await sharp(picture).png().toBuffer()
    const source = fileAt('covered-by-png.flac')
    await writeFile(source.path, withPicture(await readFile(path.join(scratch, 'sound.flac')), image, 'image/png'))
    expect((await readFacts(source)).cover).toMatchObject({ codec: 'png', bytes: image.length })
    const result = path.join(scratch, `covered-by-png.${to}`)
    const { check } = await extractAndCheck(source, soundSpec(to, all), result)
    expect(faults(check)).toEqual([])
    expect(check.lines.find(line => line.name === 'cover')?.found).toMatch(/PNG 60x40/)
    expect((await readFile(result)).includes(image)).toBe(true)
  })

  test.each([
    ['mp4', 'aac'],
    ['mkv', 'flac'],
  ] as const)('goes along into a film in %s, beside its chapters, and into the next made of it', async (...pair) => {
    const [container, sound] = pair
    const first = fileAt('covered-film.mkv')
    await rewrap(plain.path, first.path, 'matroska', { tags, cover: picture })
    const file = await open(first.path, 'r+')
    await writeMatroskaChapters(file, chapters, 0.4)
    await file.close()
    const spec = { ...pictureSpec(container, 'h264', sound), tags: all, keepsChapters: true }
    let source = first
    for (const name of ['once', 'twice']) {
      const result = fileAt(`film-${name}.${container}`)
      const { check } = await makeAndCheck(source, spec, result.path)
      expect(faults(check)).toEqual([])
      expect(check.lines.find(line => line.name === 'cover')?.found).toMatch(/JPEG 60x40/)
      expect(check.lines.find(line => line.name === 'chapters')?.found).toBe('2')
      expect((await readFile(result.path)).includes(picture)).toBe(true)
      source = result
    }
    // A cap counts all that is in the file.
    const capped = { ...spec, video: { ...spec.video, rateControl: { kind: 'size cap' as const, bytes: 100_000 } } }
    const { check, outputPath } = await makeAndCheck(first, capped, path.join(scratch, `capped.${container}`))
    expect(faults(check)).toEqual([])
    expect((await readFile(outputPath)).includes(picture)).toBe(true)
  })
})
