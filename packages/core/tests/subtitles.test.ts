import { describe, expect, test } from 'vitest'
import {
  chaptersWithin,
  cueWords,
  deriveTreatment,
  plannedChapters,
  plannedSubtitles,
  readCue,
  shownSpans,
  specProblems,
  textFileCue,
  textFileHead,
  timedTextTrackHead,
  withContainer,
  writeCue,
  type PictureSpec,
  type Run,
  type SubtitleFacts,
  type TrackRole,
} from '../src/index.ts'
import { facts, spec } from './examples.ts'

const bytes = (text: string) => new TextEncoder().encode(text)
const text = (data: Uint8Array) => new TextDecoder().decode(data)
const run = (words: string, ...styles: ('italic' | 'bold' | 'underline')[]): Run => ({
  text: words,
  italic: styles.includes('italic'),
  bold: styles.includes('bold'),
  underline: styles.includes('underline'),
})
const scripted = (words: string) => bytes(`7,0,Default,,0,0,0,,${words}`)

describe('the text of a packet', () => {
  test.each([
    [
      'SubRip with a font, an override and a lone "<"',
      'subrip',
      bytes('{\\an8}<font color="#ff0000">a < b</font>'),
      [run('a < b')],
    ],
    [
      'SubRip in two styles',
      'subrip',
      bytes('One <i>two <b>three</b></i>\r\nfour'),
      [run('One '), run('two ', 'italic'), run('three', 'italic', 'bold'), run('\nfour')],
    ],
    [
      'SubRip with brackets that are no tags',
      'subrip',
      bytes('<speaking Dutch> I <3 you > me'),
      [run('<speaking Dutch> I <3 you > me')],
    ],
    ['SubRip whose tag is never closed', 'subrip', bytes('<i>all of it'), [run('all of it', 'italic')]],
    // WebVTT (W3C, 3.3 and 6.1): classes, voices, times within a cue, escapes.
    ['WebVTT', 'webvtt', bytes('<v Keeper><c.loud>Fog</c> &amp; <00:00:02.000>ice &lt;3'), [run('Fog & ice <3')]],
    [
      'a script with overrides',
      'ass',
      scripted('{\\i1}Ebb{\\i0}, {\\b700}flood{\\r} and\\Nsea\\hwrack'),
      [run('Ebb', 'italic'), run(', '), run('flood', 'bold'), run(' and\nsea wrack')],
    ],
    ['a script that draws', 'ass', scripted('{\\p1}m 0 0 l 9 9{\\p0}'), []],
    ['a script with commas', 'ass', scripted('one, two, three'), [run('one, two, three')]],
    ['a line of a script that is cut short', 'ass', bytes('7,0,Default'), []],
    ['nothing but blanks', 'subrip', bytes(' \n '), []],
  ])('%s', (_, codec, data, runs) => expect(readCue(codec, data)).toEqual(runs))

  test('of timed text comes with its styles, in UTF-8 and UTF-16', () => {
    // 3GPP TS 26.245, 5.17.1.1: a style record of 12 bytes, here characters 2 to 3 in bold and underlined (1 + 4).
    const styled = Uint8Array.from([
      0,
      5,
      ...bytes('aäbc'),
      0,
      0,
      0,
      22,
      ...bytes('styl'),
      0,
      1,
      0,
      2,
      0,
      3,
      0,
      1,
      5,
      18,
      255,
      255,
      255,
      255,
    ])
    expect(readCue('mov_text', styled)).toEqual([run('aä'), run('b', 'bold', 'underline'), run('c')])
    expect(readCue('mov_text', Uint8Array.from([0, 4, 0xfe, 0xff, 0x70, 0x6f]))).toEqual([run('灯')])
    expect(readCue('mov_text', Uint8Array.from([0, 0]))).toEqual([])
    expect(readCue('mov_text', Uint8Array.from([0, 200, 97]))).toEqual([run('a')])
  })

  test('goes into every text codec, and what comes out of it says the same', () => {
    const runs = [run('Fog & '), run('ice <3', 'italic'), run('\nfar', 'bold', 'underline')]
    expect(text(writeCue('subrip', runs))).toBe('Fog & <i>ice <3</i><b><u>\nfar</u></b>')
    expect(text(writeCue('webvtt', runs))).toBe('Fog &amp; <i>ice &lt;3</i><b><u>\nfar</u></b>')
    for (const codec of ['webvtt', 'mov_text'] as const) expect(readCue(codec, writeCue(codec, runs))).toEqual(runs)
    expect(cueWords(readCue('subrip', writeCue('subrip', runs)))).toBe('Fog & ice <3\nfar')
    // What only looks like a tag or an override stays text where there are no escapes.
    const literal = [run('Write <i> and {\\an8}, not <three>')]
    const written = writeCue('subrip', literal)
    expect(cueWords(readCue('subrip', written)).replaceAll('\u2060', '')).toBe(cueWords(literal))
    // An empty line ends a cue in a file.
    expect(text(writeCue('subrip', [run('a\n\n\nb')]))).toBe('a\nb')
  })

  test('is read to its end whatever is in it: what grew with the square of its length would not be', () => {
    for (const hostile of ['<'.repeat(60_000), '{\\'.repeat(30_000), '<a '.repeat(20_000)]) {
      expect(cueWords(readCue('subrip', bytes(`${hostile}end`)))).toMatch(/end$/)
      expect(cueWords(readCue('ass', scripted(`${hostile}end`)))).toMatch(/end$/)
    }
  })

  test('has a head whose boxes are as long as they say', () => {
    const head = timedTextTrackHead()
    const view = new DataView(head.buffer)
    expect(view.getUint32(30)).toBe(head.length - 30)
    expect(text(head.subarray(34, 38))).toBe('ftab')
    expect(text(head.subarray(43))).toHaveLength(view.getUint8(42))
  })
})

describe('subtitle tracks by rule', () => {
  const track = (codec: string, language: string | null, roles?: SubtitleFacts['roles']): SubtitleFacts => ({
    streamIndex: 2,
    codec,
    language,
    ...(roles ? { roles } : {}),
  })
  const source = {
    ...facts(),
    subtitles: [
      track('subrip', 'eng'),
      track('dvd_subtitle', 'ger', ['forced']),
      track('ass', null),
      track('dvb_teletext', 'eng'),
      track('mov_text', 'deu', ['commentary']),
    ],
  }
  const keeping = (container: PictureSpec['container'], subtitles: PictureSpec['subtitles']): PictureSpec => ({
    ...spec('small-mkv'),
    container,
    ...(subtitles ? { subtitles } : {}),
  })
  const planned = (wanted: PictureSpec, speed = 1) => plannedSubtitles(source, wanted, { ranges: null, speed })

  test('are kept where the container holds them; other text becomes its own', () => {
    const { tracks, notes } = planned(keeping('mkv', { shown: 'forced' }))
    expect(tracks.map(({ position, to, roles }) => [position, to, roles])).toEqual([
      [0, 'subrip', []],
      [1, 'dvd_subtitle', ['default', 'forced']],
      [2, 'ass', []],
      [4, 'subrip', ['commentary']],
    ])
    expect(notes).toEqual(['Subtitles 4 (English, dvb_teletext) stay out: Hematine does not carry this kind over.'])
  })

  test('come in the order of the languages, those that state none behind', () => {
    const wanted = keeping('mkv', { languages: ['de', 'en'], commentary: 'left out', shown: 'first' })
    expect(planned(wanted).tracks.map(({ position, roles }) => [position, roles])).toEqual([
      [1, ['default', 'forced']],
      [0, []],
      [2, []],
    ])
  })

  test('of pictures stay out of MP4, and of results at another speed, with a sentence', () => {
    expect(planned(keeping('mp4', { shown: 'none' })).notes).toContain(
      'Subtitles 2 (German, DVD bitmaps) stay out: MP4 holds no pictures of text.',
    )
    expect(planned(keeping('mkv', { shown: 'none' }), 2).notes[0]).toMatch(/^Subtitles 2 .* speed of this result/)
  })

  test('are none where the spec keeps none; the notes are told with the treatment', () => {
    expect(plannedSubtitles(source, keeping('mkv', undefined), undefined).tracks.length).toBe(4)
    const { subtitles: _, ...without } = spec('small-mkv')
    expect(plannedSubtitles(source, without, undefined)).toEqual({ tracks: [], files: [], notes: [] })
    expect(deriveTreatment(source, spec('small-mkv')).notes).toEqual([
      expect.stringContaining('Subtitles 4 (English, dvb_teletext)') as string,
    ])
  })

  test('make no sense in a container without them, and go when it is chosen', () => {
    const wanted: PictureSpec = { ...keeping('mkv', { shown: 'none', languages: ['klingonese'] }), keepsChapters: true }
    expect(specProblems(wanted)).toEqual(['klingonese is no language. Write its code, as en, de or fr.'])
    const stream = withContainer(wanted, 'ts') as PictureSpec
    expect([stream.subtitles, stream.keepsChapters]).toEqual([undefined, undefined])
    expect(specProblems({ ...stream, subtitles: { shown: 'none' }, keepsChapters: true })).toEqual([
      'MPEG transport stream gets no subtitles here: leave them out, have them written beside it, or choose MKV, MP4, MOV or WebM.',
      'MPEG transport stream gets no chapters here: leave them out, or choose MKV, MP4 or MOV.',
    ])
  })
})

describe('subtitles as files', () => {
  const track = (codec: string, language: string | null, ...roles: TrackRole[]): SubtitleFacts => ({
    streamIndex: 2,
    codec,
    language,
    roles,
  })
  const source = {
    ...facts(),
    subtitles: [
      track('subrip', 'eng', 'default'),
      track('ass', 'en', 'forced'),
      track('mov_text', 'eng'),
      track('dvd_subtitle', 'ger', 'hearing impaired'),
      track('hdmv_pgs_subtitle', null),
      track('webvtt', 'pt-BR'),
      track('dvd_subtitle', 'eng'),
    ],
  }
  const planned = (container: PictureSpec['container'], rule: PictureSpec['subtitles'], speed = 1) =>
    plannedSubtitles(
      source,
      { ...spec('small-mkv'), container, ...(rule ? { subtitles: rule } : {}) },
      { ranges: null, speed },
    )
  const names = ({ files }: ReturnType<typeof planned>) =>
    files.flatMap(({ added, endings }) => endings.map(ending => `${added}.${ending}`))

  test('are named by language and purpose, each name once', () => {
    const all = planned('mkv', { shown: 'first', files: 'all' })
    expect(all.tracks).toEqual([])
    expect(names(all)).toEqual([
      '.en.srt',
      '.en.forced.srt',
      '.en.2.srt',
      '.de.hearing-impaired.idx',
      '.de.hearing-impaired.sub',
      '.sup',
      '.pt-BR.srt',
      '.en.idx',
      '.en.sub',
    ])
    expect(all.files.map(({ to }) => to).filter(to => to !== 'subrip')).toEqual([
      'dvd_subtitle',
      'hdmv_pgs_subtitle',
      'dvd_subtitle',
    ])
    const marked = planned('mkv', { shown: 'none', files: 'all', text: 'webvtt', languages: ['pt-BR', 'de'] })
    expect(names(marked)).toEqual(['.pt-BR.vtt', '.de.hearing-impaired.idx', '.de.hearing-impaired.sub', '.sup'])
  })

  test('are those that the container cannot hold, where the spec says that', () => {
    const some = planned('mp4', { shown: 'first', files: 'what it cannot hold' })
    expect(some.tracks.map(({ position, to }) => [position, to])).toEqual([
      [0, 'mov_text'],
      [1, 'mov_text'],
      [2, 'mov_text'],
      [5, 'mov_text'],
    ])
    expect(names(some)).toEqual(['.de.hearing-impaired.idx', '.de.hearing-impaired.sub', '.sup', '.en.idx', '.en.sub'])
    expect(some.notes).toEqual([])
    expect(planned('mkv', { shown: 'first', files: 'what it cannot hold' }).files).toEqual([])
    // Pictures of text say in themselves how long they are shown.
    expect(names(planned('mp4', { shown: 'first', files: 'all' }, 2)).filter(name => !name.endsWith('.srt'))).toEqual(
      [],
    )
  })

  test('make sense beside what holds none, but not beside one picture', () => {
    const wanted = { ...spec('small-mkv'), subtitles: { shown: 'none', files: 'all' } } satisfies PictureSpec
    const stream = withContainer(wanted, 'ts') as PictureSpec
    expect(stream.subtitles).toEqual(wanted.subtitles)
    expect(specProblems(stream)).toEqual([])
    const still = withContainer(wanted, 'png') as PictureSpec
    expect(still.subtitles).toBeUndefined()
    expect(specProblems({ ...still, subtitles: wanted.subtitles })).toContain(
      'PNG is one picture, and has no subtitles: leave them out.',
    )
  })

  test('hold a text each, at times of hours and thousandths, without what would end it', () => {
    const shown = { from: 3_723_004, to: 362_439_999 }
    expect(textFileCue('subrip', 7, shown, 'Fog\r\n\r\nand ice\n')).toBe(
      '7\n01:02:03,004 --> 100:40:39,999\nFog\nand ice\n\n',
    )
    expect(textFileHead('webvtt') + textFileCue('webvtt', 1, { from: 0, to: 60_000 }, 'Fog')).toBe(
      'WEBVTT\n\n1\n00:00:00.000 --> 00:01:00.000\nFog\n\n',
    )
  })
})

describe('times in a result', () => {
  const ranges = [
    { from: 10, to: 20 },
    { from: 30, to: 40 },
  ]

  test('of what is shown for a while: once for each range that it lies in', () => {
    expect(shownSpans({ ranges, speed: 1 }, 8, 12)).toEqual([{ from: 0, to: 2 }])
    expect(shownSpans({ ranges, speed: 2 }, 19, 31)).toEqual([
      { from: 4.5, to: 5 },
      { from: 5, to: 5.5 },
    ])
    expect(shownSpans({ ranges, speed: 1 }, 21, 29)).toEqual([])
    expect(shownSpans({ ranges, speed: 1 }, 20, 20)).toEqual([])
    expect(shownSpans({ ranges, speed: 1 }, 10, 10)).toEqual([{ from: 0, to: 0 }])
  })

  const chaptered = {
    ...facts(),
    chapters: [
      { from: 0, title: 'One' },
      { from: 15, title: 'Two' },
      { from: 35, title: null },
    ],
  }
  const chapters = (timeline: Parameters<typeof plannedChapters>[2], seconds: number) =>
    chaptersWithin(plannedChapters(chaptered, spec('small-mkv'), timeline), seconds)

  test('of chapters: where what is left of each begins', () => {
    expect(chapters({ ranges, speed: 1 }, 20)).toEqual([
      { from: 0, title: 'One' },
      { from: 5, title: 'Two' },
      { from: 15, title: null },
    ])
    expect(chapters({ ranges: [{ from: 2, to: 14 }], speed: 1 }, 12)).toEqual([])
    // The last lies behind the end of a source that turned out shorter.
    expect(chapters(undefined, 30)).toEqual([
      { from: 0, title: 'One' },
      { from: 15, title: 'Two' },
    ])
  })

  test('of chapters that begin later: what is before them is one without a name', () => {
    const late = { ...chaptered, chapters: chaptered.chapters.slice(1) }
    const planned = plannedChapters(late, spec('small-mkv'), undefined)
    expect(chaptersWithin(planned, 60)[0]).toEqual({ from: 0, title: null })
  })

  test('of chapters of a disc come from its tables', () => {
    const disc = { name: 'D', title: 1, angle: 1, chapters: [0, 20] }
    expect(plannedChapters({ ...facts(), disc }, spec('small-mkv'), undefined)).toEqual([
      { from: 0, title: null },
      { from: 20, title: null },
    ])
  })
})
