import { copyFile, open, readdir, readFile, rm, writeFile } from 'node:fs/promises'
import path from 'node:path'
import { judge, specProblems, withContainer, type Container, type PictureSpec, type Step } from '@hematine/core'
import {
  AV_CODEC_ID_ASS,
  AV_CODEC_ID_HDMV_PGS_SUBTITLE,
  AV_CODEC_ID_MOV_TEXT,
  AV_CODEC_ID_SUBRIP,
  AV_CODEC_ID_WEBVTT,
  AV_DISPOSITION_COMMENT,
  AV_DISPOSITION_DEFAULT,
  AV_DISPOSITION_FORCED,
} from 'node-av/constants'
import { beforeAll, describe, expect, test } from 'vitest'
import { readFacts, setUpLibraries, type MediaInput } from '../src/index.ts'
import { makeAndCheck } from '../../../tests/support/jobs.ts'
import { writePlainClip } from '../../../tests/support/material.ts'
import { scratchDirectory } from '../../../tests/support/scratch.ts'
import { pictureSpec } from '../../../tests/support/specs.ts'
import { rewrap } from '../../../tests/support/rewrap.ts'
import { addSubtitles, packetsOfSubtitles } from '../../../tests/support/subtitled.ts'

/** Subtitle tracks from sources of known packets into each container, and chapters with them; results are read by the library alone. */
const scratch = scratchDirectory()
const at = (name: string) => path.join(scratch, name)
const fileAt = (name: string): MediaInput & { kind: 'file' } => ({ kind: 'file', path: at(name) })
const say = (text: string) => Buffer.from(text)

/** A display set of pictures of text that shows nothing: its composition, 160x120 with no object, and its end. */
const displaySet = (number: number) =>
  Buffer.from([0x16, 0, 11, 0, 160, 0, 120, 0x10, 0, number, 0x80, 0, 0, 0, 0x80, 0, 0])

const scriptHead =
  '[Script Info]\nScriptType: v4.00+\n\n[V4+ Styles]\nFormat: Name, Fontname\nStyle: Default,Sans\n\n[Events]\nFormat: Layer, Start, End, Style, Name, MarginL, MarginR, MarginV, Effect, Text\n'

beforeAll(async () => {
  setUpLibraries()
  await writePlainClip(at('plain.mkv'), 12)
  await addSubtitles(at('plain.mkv'), at('told.mkv'), 'matroska', [
    {
      codec: AV_CODEC_ID_SUBRIP,
      language: 'eng',
      packets: [
        { at: 1, seconds: 2, data: say('The <i>lamp</i> is lit.') },
        { at: 5, seconds: 1.5, data: say('Fog & rocks,\nas ever < before.') },
        { at: 9.25, seconds: 1, data: say('Grüße vom Leuchtturm 灯台') },
      ],
    },
    {
      codec: AV_CODEC_ID_ASS,
      language: 'deu',
      title: 'Schilder',
      disposition: AV_DISPOSITION_FORCED,
      head: Buffer.from(scriptHead),
      packets: [
        { at: 2, seconds: 1, data: say('0,0,Default,,0,0,0,,{\\b1}Nebel{\\b0}, sagt er\\Nund geht') },
        { at: 2, seconds: 1, data: say('1,0,Default,,0,0,0,,zugleich') },
        { at: 6, seconds: 2, data: say('2,0,Default,,0,0,0,,{\\p1}m 0 0 l 10 10{\\p0}Klippe') },
      ],
    },
    {
      codec: AV_CODEC_ID_SUBRIP,
      language: 'eng',
      disposition: AV_DISPOSITION_COMMENT,
      packets: [{ at: 3, seconds: 1, data: say('We shot this at dawn.') }],
    },
    // One that is never seen: the picture ends at 12 s.
    { codec: AV_CODEC_ID_SUBRIP, language: 'fra', packets: [{ at: 12.5, seconds: 1, data: say('Trop tard.') }] },
    {
      codec: AV_CODEC_ID_HDMV_PGS_SUBTITLE,
      language: 'nld',
      packets: [
        { at: 4, seconds: 0, data: displaySet(0) },
        { at: 7, seconds: 0, data: displaySet(1) },
      ],
    },
  ])
})

function keeping(container: Container, changes: Partial<PictureSpec> = {}): PictureSpec {
  const sound = container === 'webm' ? 'opus' : 'aac'
  const picture = container === 'webm' ? 'vp9' : 'h264'
  return {
    ...pictureSpec(container, picture, sound, { kind: 'constant quality', value: 30 }),
    subtitles: { shown: 'forced' },
    ...changes,
  }
}

const make = (spec: PictureSpec, name: string, steps: readonly Step[] = []) => {
  expect(specProblems(spec)).toEqual([])
  return makeAndCheck(fileAt('told.mkv'), spec, at(name), steps)
}
const text = (packet: { data: Buffer }) => packet.data.toString()
/** Words of a sample of timed text, without what stands behind them. */
const timed = ({ data }: { data: Buffer }) => data.subarray(2, 2 + data.readUInt16BE(0)).toString()
const isFailing = ({ check }: { check: { lines: { verdict: string }[] } }) =>
  check.lines.filter(line => line.verdict === 'fail')

describe('subtitles of a source', () => {
  test('are kept byte for byte where the container holds them, with languages, titles and what they are for', async () => {
    const made = await make(keeping('mkv'), 'kept.mkv')
    expect(isFailing(made)).toEqual([])
    const [source, result] = [await packetsOfSubtitles(at('told.mkv')), await packetsOfSubtitles(at('kept.mkv'))]
    expect(result.map(track => track.packets.map(({ data }) => data))).toEqual(
      source.map(track => track.packets.filter(packet => packet.at < 12).map(({ data }) => data)),
    )
    expect(result.map(track => track.packets.map(packet => packet.at))).toEqual([
      [1, 5, 9.25],
      [2, 2.001, 6],
      [3],
      [],
      [4, 7],
    ])
    expect(result.map(track => track.disposition)).toEqual([
      0,
      AV_DISPOSITION_FORCED | AV_DISPOSITION_DEFAULT,
      AV_DISPOSITION_COMMENT,
      0,
      0,
    ])
    const facts = await readFacts(fileAt('kept.mkv'))
    expect(facts.subtitles.map(({ codec, language, title }) => [codec, language, title])).toEqual([
      ['subrip', 'eng', null],
      ['ass', 'deu', 'Schilder'],
      ['subrip', 'eng', null],
      ['subrip', 'fra', null],
      ['hdmv_pgs_subtitle', 'nld', null],
    ])
    expect(facts.audio[0]!.roles).toEqual(['default'])
  })

  test('become timed text in MP4, in the spec’s languages and order; pictures of text stay out and are told', async () => {
    const spec = keeping('mp4', {
      subtitles: { languages: ['de', 'en', 'nl'], commentary: 'left out', shown: 'first' },
    })
    const made = await make(spec, 'timed.mp4')
    expect(isFailing(made)).toEqual([])
    const [german, english, ...others] = await packetsOfSubtitles(at('timed.mp4'))
    expect(others).toEqual([])
    expect([german!.codec, english!.codec]).toEqual([Number(AV_CODEC_ID_MOV_TEXT), Number(AV_CODEC_ID_MOV_TEXT)])
    // MP4 has empty samples where nothing is shown.
    const said = english!.packets.filter(packet => timed(packet) !== '')
    expect(said.map(timed)).toEqual([
      'The lamp is lit.',
      'Fog & rocks,\nas ever < before.',
      'Grüße vom Leuchtturm 灯台',
    ])
    expect(said.map(packet => packet.at)).toEqual([1, 5, 9.25])
    expect(said[0]!.seconds).toBeCloseTo(2, 2)
    // The style box of 3GPP TS 26.245: characters 4 to 8 in italic (flag 2).
    const style = said[0]!.data.subarray(2 + 16)
    expect(style.toString('latin1', 4, 8)).toBe('styl')
    expect([style.readUInt16BE(8), style.readUInt16BE(10), style.readUInt16BE(12), style[16]]).toEqual([1, 4, 8, 2])
    expect(german!.packets.filter(packet => timed(packet) !== '').map(timed)).toEqual([
      'Nebel, sagt er\nund geht',
      'zugleich',
      'Klippe',
    ])
    expect([german!.disposition & AV_DISPOSITION_DEFAULT, english!.disposition & AV_DISPOSITION_DEFAULT]).toEqual([
      AV_DISPOSITION_DEFAULT,
      0,
    ])
    expect(made.treatment.notes!.filter(note => note.startsWith('Subtitles'))).toEqual([
      expect.stringMatching(/^Subtitles 3 \(English, SubRip\) stay out: .* leaves commentary out\.$/),
      expect.stringMatching(/^Subtitles 4 \(French, SubRip\) stay out: .* keeps German, English, Dutch\.$/),
      'Subtitles 5 (Dutch, PGS bitmaps) stay out: MP4 holds no pictures of text.',
    ])
  })

  test('of MP4 stay what they are in MP4, and become SubRip in MKV', async () => {
    const spec = keeping('mp4', { subtitles: { languages: ['en'], shown: 'first' } })
    await make(spec, 'first.mp4')
    for (const container of ['mp4', 'mkv'] as const) {
      const again = await makeAndCheck(
        fileAt('first.mp4'),
        { ...keeping(container), subtitles: { shown: 'first' } },
        at(`second.${container}`),
      )
      expect(isFailing(again)).toEqual([])
    }
    const [[before], [after], [turned]] = [
      await packetsOfSubtitles(at('first.mp4')),
      await packetsOfSubtitles(at('second.mp4')),
      await packetsOfSubtitles(at('second.mkv')),
    ]
    const saying = (track: typeof before) => track!.packets.filter(({ data }) => data.length > 2)
    expect(saying(after).map(({ at: when, data }) => [when, data])).toEqual(
      saying(before).map(({ at: when, data }) => [when, data]),
    )
    expect(turned!.packets.map(text)).toContain('The <i>lamp</i> is lit.')
  })

  test('that begin before the picture are seen from its beginning on', async () => {
    // The picture begins at 1.3 s of the file's own time, and the first text is shown from 1 to 3 s.
    await rewrap(at('told.mkv'), at('late.mkv'), 'matroska', {
      change: (packet, _, isPicture) => !isPicture || packet.pts >= 1300n,
    })
    const spec = keeping('mkv', { subtitles: { languages: ['en'], commentary: 'left out', shown: 'none' } })
    const made = await makeAndCheck(fileAt('late.mkv'), spec, at('late-kept.mkv'))
    expect(made.check.lines.filter(line => line.name.startsWith('subtitles') && line.verdict === 'fail')).toEqual([])
    const [track] = await packetsOfSubtitles(at('late-kept.mkv'))
    expect(track!.packets.map(packet => packet.at)).toEqual([0, 3.7, 7.95])
  })

  test('become WebVTT in WebM, whose marks are escaped', async () => {
    const made = await make(keeping('webm', { subtitles: { languages: ['en'], shown: 'none' } }), 'marked.webm')
    expect(isFailing(made)).toEqual([])
    const [track] = await packetsOfSubtitles(at('marked.webm'))
    expect(track!.codec).toBe(Number(AV_CODEC_ID_WEBVTT))
    expect(track!.disposition).toBe(0)
    expect(track!.packets.slice(0, 2).map(text)).toEqual([
      'The <i>lamp</i> is lit.',
      'Fog &amp; rocks,\nas ever &lt; before.',
    ])
  })

  test('follow what is kept of the picture, and its speed', async () => {
    const steps: Step[] = [
      {
        kind: 'trim',
        ranges: [
          { from: 2, to: 4 },
          { from: 5.5, to: 10 },
        ],
      },
      { kind: 'speed', factor: 2, between: 'repeat', cutThreshold: 10 },
    ]
    const made = await make(keeping('mkv', { subtitles: { languages: ['en', 'nl'], shown: 'none' } }), 'cut.mkv', steps)
    expect(isFailing(made)).toEqual([])
    const [english] = await packetsOfSubtitles(at('cut.mkv'))
    // 1 to 3 s is seen from 2 on, at 0; 5 to 6.5 s from 5.5 on, at 2 s of what is kept, half as long; 9.25 s at 5.75 s of it.
    expect(english!.packets.map(packet => [packet.at, packet.seconds])).toEqual([
      [0, 0.5],
      [1, 0.5],
      [2.875, 0.375],
    ])
    expect(made.treatment.notes!.some(note => note.startsWith('Subtitles 5') && note.includes('speed'))).toBe(true)
  })

  test('that were changed, moved or lost in the result are found', async () => {
    const spec = keeping('mkv', { subtitles: { languages: ['en'], shown: 'none' } })
    const made = await make(spec, 'faulty.mkv')
    expect(isFailing(made)).toEqual([])
    const { measurement } = made.check
    expect(measurement.subtitles!.map(({ count, sourceCount, different }) => [count, sourceCount, different])).toEqual([
      [3, 3, 0],
      [1, 1, 0],
    ])
    // One letter of one text in the file, changed by hand.
    await copyFile(at('faulty.mkv'), at('letter.mkv'))
    const file = await open(at('letter.mkv'), 'r+')
    const bytes = await file.readFile()
    await file.write(Buffer.from('d'), 0, 1, bytes.indexOf('lamp'))
    await file.close()
    const { measureSubtitles } = await import('../src/checking/check-text.ts')
    const changed = await measureSubtitles(
      {
        input: fileAt('told.mkv'),
        facts: await readFacts(fileAt('told.mkv')),
        treatment: made.treatment,
        spec,
        outputPath: at('letter.mkv'),
      },
      { input: fileAt('letter.mkv'), facts: await readFacts(fileAt('letter.mkv')) },
      { turn: async () => undefined },
    )
    expect(changed.subtitles![0]).toMatchObject({ count: 3, different: 1 })
  })
})

/** Files beside a result before it gets its place, by what they add to its name. */
const besideOf = async (name: string) => (await readdir(at(`${name}.beside`))).sort()
const fileOf = (name: string, added: string) => at(`${name}.beside/result${added}`)

describe('subtitles as files beside a result', () => {
  test('are SubRip, and graphics in a file of their own, named by language and purpose; what says nothing has none', async () => {
    const made = await make(keeping('mp4', { subtitles: { shown: 'none', files: 'all' } }), 'apart.mp4')
    expect(isFailing(made)).toEqual([])
    expect(await packetsOfSubtitles(at('apart.mp4'))).toEqual([])
    expect(await besideOf('apart.mp4')).toEqual([
      'result.de.forced.srt',
      'result.en.commentary.srt',
      'result.en.srt',
      'result.nl.sup',
    ])
    // Written by hand from what the source says.
    expect(await readFile(fileOf('apart.mp4', '.en.srt'), 'utf8')).toBe(
      [
        '1\n00:00:01,000 --> 00:00:03,000\nThe <i>lamp</i> is lit.\n\n',
        '2\n00:00:05,000 --> 00:00:06,500\nFog & rocks,\nas ever < before.\n\n',
        '3\n00:00:09,250 --> 00:00:10,250\nGrüße vom Leuchtturm 灯台\n\n',
      ].join(''),
    )
    expect(await readFile(fileOf('apart.mp4', '.de.forced.srt'), 'utf8')).toContain(
      '1\n00:00:02,000 --> 00:00:03,000\n<b>Nebel</b>, sagt er\nund geht\n\n2\n',
    )
    const [graphics] = await packetsOfSubtitles(fileOf('apart.mp4', '.nl.sup'))
    expect(graphics!.codec).toBe(Number(AV_CODEC_ID_HDMV_PGS_SUBTITLE))
    expect(Buffer.concat(graphics!.packets.map(({ data }) => data))).toEqual(
      Buffer.concat([displaySet(0), displaySet(1)]),
    )
    expect([...new Set(graphics!.packets.map(packet => packet.at))]).toEqual([4, 7])
    const { subtitleFiles } = made.check.measurement
    expect(subtitleFiles!.map(({ count, sourceCount, files }) => [count, sourceCount, files.length])).toEqual([
      [3, 3, 1],
      [3, 3, 1],
      [1, 1, 1],
      [0, 0, 0],
      [2, 2, 1],
    ])
  })

  test('are WebVTT where the spec says so, and only what the container cannot hold where it says that', async () => {
    const rule: PictureSpec['subtitles'] = {
      shown: 'first',
      files: 'what it cannot hold',
      text: 'webvtt',
      languages: ['en', 'nl'],
    }
    const made = await make(keeping('mp4', { subtitles: rule }), 'both.mp4')
    expect(isFailing(made)).toEqual([])
    expect(
      (await packetsOfSubtitles(at('both.mp4'))).map(({ packets }) => packets.map(timed).filter(words => words !== '')),
    ).toEqual([
      ['The lamp is lit.', 'Fog & rocks,\nas ever < before.', 'Grüße vom Leuchtturm 灯台'],
      ['We shot this at dawn.'],
    ])
    expect(await besideOf('both.mp4')).toEqual(['result.nl.sup'])
    const marked: PictureSpec['subtitles'] = {
      shown: 'none',
      files: 'all',
      text: 'webvtt',
      languages: ['en'],
      commentary: 'left out',
    }
    await make(keeping('mkv', { subtitles: marked }), 'marked.mkv', [{ kind: 'trim', ranges: [{ from: 2, to: 6 }] }])
    expect(await besideOf('marked.mkv')).toEqual(['result.en.vtt'])
    expect(await readFile(fileOf('marked.mkv', '.en.vtt'), 'utf8')).toBe(
      'WEBVTT\n\n1\n00:00:00.000 --> 00:00:01.000\nThe <i>lamp</i> is lit.\n\n' +
        '2\n00:00:03.000 --> 00:00:04.000\nFog &amp; rocks,\nas ever &lt; before.\n\n',
    )
  })

  test('come with image sequences, too, and stay out of specs of one picture', async () => {
    const sequence = withContainer(
      keeping('mkv', { subtitles: { shown: 'none', files: 'all' } }),
      'images',
    ) as PictureSpec
    expect(sequence.subtitles).toBeDefined()
    const made = await make({ ...sequence, audio: null }, 'frames', [{ kind: 'trim', ranges: [{ from: 1, to: 2 }] }])
    expect(isFailing(made)).toEqual([])
    expect(await besideOf('frames')).toEqual(['result.en.srt'])
    expect((withContainer(sequence, 'png') as PictureSpec).subtitles).toBeUndefined()
  })

  test('that were changed, or lost, are found', async () => {
    const spec = keeping('mp4', {
      subtitles: { languages: ['en', 'nl'], commentary: 'left out', shown: 'none', files: 'all' },
    })
    const made = await make(spec, 'hurt.mp4')
    expect(isFailing(made)).toEqual([])
    const { measureSubtitles } = await import('../src/checking/check-text.ts')
    const facts = await readFacts(fileAt('told.mkv'))
    const again = async () => {
      const plan = { input: fileAt('told.mkv'), facts, treatment: made.treatment, spec, outputPath: at('hurt.mp4') }
      const result = { input: fileAt('hurt.mp4'), facts: await readFacts(fileAt('hurt.mp4')) }
      const measured = await measureSubtitles(plan, result, { turn: async () => undefined })
      const { lines } = judge({ ...made.check.measurement, ...measured }, spec, made.treatment, { facts, findings: [] })
      return lines.filter(line => line.verdict === 'fail').map(({ name, found }) => `${name}: ${found}`)
    }
    expect(await again()).toEqual([])
    const text = await readFile(fileOf('hurt.mp4', '.en.srt'), 'utf8')
    await writeFile(fileOf('hurt.mp4', '.en.srt'), text.replace('lamp', 'damp').replace('00:00:09,250', '00:00:09,350'))
    expect(await again()).toEqual([
      'subtitle file 1 kept: 3, 1 of them others',
      'subtitle file 1 in step: 0.100 s at most',
    ])
    await writeFile(fileOf('hurt.mp4', '.en.srt'), text.split('3\n')[0]!)
    const graphics = await readFile(fileOf('hurt.mp4', '.nl.sup'))
    // The number of its first composition.
    graphics[19] = 7
    await writeFile(fileOf('hurt.mp4', '.nl.sup'), graphics)
    expect(await again()).toEqual(['subtitle file 1 kept: 2', 'subtitle file 2 kept: 2, 1 of them others'])
    await rm(fileOf('hurt.mp4', '.en.srt'))
    expect(await again()).toContain('subtitle file 1: none')
  })
})
