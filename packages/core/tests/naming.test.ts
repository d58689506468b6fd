import { describe, expect, test } from 'vitest'
import {
  nameBeside,
  nextName,
  patternProblems,
  pictureName,
  resultName,
  soundBesideName,
  type NameFacts,
} from '../src/index.ts'
import { spec } from './examples.ts'

const about: NameFacts = {
  item: 'Tape 12.dv',
  number: 7,
  lot: 'Lot C',
  order: 'SL-014',
  piece: null,
  disc: { path: 'discs/LAMP ROOM 4/VIDEO_TS', title: 2 },
  result: { frame: { width: 1440, height: 1080 }, rate: { num: 25, den: 1 } },
  date: '2026-11-27',
}
const box = { ...spec('playback-box'), nameSuffix: '-box' }
const named = (item: string, counter?: number) => resultName(box, { ...about, item }, counter)
const by = (namePattern: string, changes: Partial<NameFacts> = {}) =>
  resultName({ ...box, namePattern }, { ...about, ...changes })

describe('results without a pattern', () => {
  test("take the source's name, the suffix, a counter from the second on and the ending", () => {
    expect(named('Tape 12.dv')).toBe('Tape 12-box.mp4')
    expect(named('Tape 12.dv', 3)).toBe('Tape 12-box-3.mp4')
    expect(named('Reel no. 7')).toBe('Reel no. 7-box.mp4')
    expect(named('approach-[0001-0048].png')).toBe('approach-box.mp4')
  })

  test('keep quotes and Unicode, and lose what a name cannot hold', () => {
    expect(named('Keeper\'s "log" – Åse.mov')).toBe('Keeper\'s "log" – Åse-box.mp4')
    expect(named('two\nlines.avi')).toBe('two_lines-box.mp4')
    expect(named('.hidden.avi')).toBe('_hidden-box.mp4')
    expect(named('.avi')).not.toMatch(/^\./)
    expect(named('a/b\\c.avi')).toBe('a_b_c-box.mp4')
  })

  test('are cut to 255 bytes between whole characters', () => {
    const name = named(`${'å'.repeat(200)}.avi`)
    expect(new TextEncoder().encode(name).length).toBeLessThanOrEqual(255)
    expect(name).toMatch(/^å+-box\.mp4$/)
  })
})

describe('a pattern', () => {
  test('is filled in with what the source, its order and the result are', () => {
    expect(by('{order}/{lot}/{number} {item} {size} {rate} fps {codec}')).toBe(
      'SL-014/Lot C/0007 Tape 12 1440x1080 25 fps H.264.mp4',
    )
    expect(by('{disc} title {title} {date} {spec}')).toBe('LAMP ROOM 4 title 2 2026-11-27 Playback box MP4.mp4')
  })

  test('calls an image of a disc by its name without the ending', () => {
    expect(by('{disc} {title}{item}', { disc: { path: 'Relief boat.ISO', title: 12 } })).toBe(
      'Relief boat 12Tape 12.mp4',
    )
  })

  test('leaves out what there is not', () => {
    expect(by('{disc}{item}{title}{size}', { disc: null, result: null })).toBe('Tape 12.mp4')
    expect(by('{lot}/{item}', { lot: null })).toBe('_/Tape 12.mp4')
  })

  test.each(['../../etc/passwd', '/etc', '..', 'a/../..'])('never leads out of the volume: %s', hostile => {
    for (const path of [
      by(`${hostile}/{item}`),
      by('{lot}/{item}', { lot: hostile }),
      by('{item}', { item: `${hostile}.avi` }),
    ])
      for (const folder of path.split('/')) expect(folder).toMatch(/^[^./].*$/)
  })

  test('is cut in the name of its source, so that what tells results apart stays', () => {
    const long = { item: `${'å'.repeat(200)}.avi` }
    const name = by('{item} {date} {number}', long)
    expect(name).toMatch(/^å+ 2026-11-27 0007\.mp4$/)
    expect(new TextEncoder().encode(name).length).toBeLessThanOrEqual(255)
  })

  test.each([
    ['{item} {size}', []],
    [
      '{film}',
      [
        'Names have no part {film}. They have {item}, {number}, {lot}, {order}, {spec}, {size}, {rate}, {codec}, {disc}, {title}, {piece}, {chapter}, {date}.',
        'Names without {item} or {number} are the same for every source.',
      ],
    ],
    [
      '{item',
      [
        'A brace in the names is not closed, or not opened.',
        'Names without {item} or {number} are the same for every source.',
      ],
    ],
    ['{lot}//{item}', ['A folder in the names has no name.']],
    ['a/b/c/d/e/f/g/h/{item}', ['Names have at most 7 folders.']],
  ])('%s is judged when it is written', (namePattern, problems) => {
    expect(patternProblems({ namePattern, nameSuffix: '' })).toEqual(problems)
  })
})

describe('a name that is taken', () => {
  test('is followed by the next one of its kind', () => {
    expect(nextName('Lot C/Tape 12-box.mp4', { container: 'mp4' }, 2)).toBe('Lot C/Tape 12-box-2.mp4')
    expect(nextName('Tape 1.5', { container: 'images' }, 3)).toBe('Tape 1.5-3')
    const long = nextName(`${'å'.repeat(125)}.mkv`, { container: 'mkv' }, 12)
    expect(new TextEncoder().encode(long).length).toBeLessThanOrEqual(255)
    expect(long).toMatch(/å-12\.mkv$/)
  })
})

describe('what lies beside a result', () => {
  test('is called after it, whatever it is and however long its name', () => {
    expect(nameBeside('Lights/tape-box.mp4', box, '.en.srt')).toBe('Lights/tape-box.en.srt')
    expect(nameBeside('Lights/tape.v2', { container: 'images' }, '.en.srt')).toBe('Lights/tape.v2.en.srt')
    const long = nameBeside(`${'å'.repeat(125)}.mp4`, box, '.en.hearing-impaired.srt')
    expect(new TextEncoder().encode(long).length).toBeLessThanOrEqual(255)
    expect(long).toMatch(/å\.en\.hearing-impaired\.srt$/)
  })
})

describe('pictures of a sequence', () => {
  test('are called after their source and numbered; its folder has no ending', () => {
    const frames = { ...box, nameSuffix: '-frames', container: 'images' as const }
    expect(resultName(frames, { ...about, item: 'approach-[0001-0048].png' }, 2)).toBe('approach-frames-2')
    const png = { video: { ...box.video, codec: 'png' } }
    expect(pictureName('approach-[0001-0048].png', png, { first: 998, digits: 3 }, 1)).toBe('approach.999.png')
    // A number that is longer than it is filled up to is written whole.
    expect(pictureName('approach-[0001-0048].png', png, { first: 998, digits: 3 }, 2)).toBe('approach.1000.png')
    const jpeg = { video: { ...png.video, codec: 'mjpeg' } }
    expect(pictureName('Tape 12.dv', jpeg, { first: 0, digits: 5 }, 7)).toBe('Tape 12.00007.jpg')
    expect(soundBesideName('Tape 12.dv', 1)).toBe('Tape 12.sound-2.wav')
  })
})
