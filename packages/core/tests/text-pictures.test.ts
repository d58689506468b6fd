import { describe, expect, test } from 'vitest'
import {
  chooseBurnt,
  GraphicsReader,
  newStep,
  readDiscPicture,
  readPaletteHead,
  type StepOf,
  type SubtitleFacts,
  type TextPicture,
} from '../src/index.ts'
import { facts } from './examples.ts'

const two = (value: number) => [value >> 8, value & 255]
/** Which pixels are seen, row by row, as the letter of their colour or a dot. */
function drawn({ rgba, width, height }: TextPicture, letters: Record<number, string>): string[] {
  return Array.from({ length: height }, (_, row) =>
    Array.from({ length: width }, (_, x) => {
      const at = 4 * (row * width + x)
      const colour = rgba[at]! * 65_536 + rgba[at + 1]! * 256 + rgba[at + 2]!
      return rgba[at + 3] === 0 ? '.' : (letters[colour] ?? '?')
    }).join(''),
  )
}

describe('a picture of text on a disc', () => {
  const colours = Array.from({ length: 16 }, (_, index) => index * 0x010101)
  colours[3] = 0xff0000
  colours[7] = 0x0000ff
  // A run is its length and two bits of colour: 4 of colour 1 is 17 in two nibbles, 1 of it 5 in one, 2 of colour 2 is 10; nought in four goes to the end of the line.
  const top = [0x11, 0x00, 0x00, 0x00, 0x00]
  const bottom = [0x5a, 0x00, 0x00]
  const commands = (at: number) => [
    ...[...two(90), ...two(at + 24)],
    ...[0x00],
    // Colours 3, 2, 1, 0 of the picture are 0, 7, 3, 0 of the palette; colours 1 and 2 are seen, the second by half.
    ...[0x03, 0x07, 0x30],
    ...[0x04, 0x08, 0xf0],
    // From 100 to 107 across, from 40 to 42 down.
    ...[0x05, 0x06, 0x40, 0x6b, 0x02, 0x80, 0x2a],
    ...[0x06, ...two(4), ...two(4 + top.length)],
    ...[0xff],
    ...[...two(180), ...two(at + 24), 0x02, 0xff],
  ]
  const place = 4 + top.length + bottom.length
  const body = [...two(place), ...top, ...bottom, ...commands(place)]
  const packet = Uint8Array.from([...two(body.length + 2), ...body])

  test('is drawn field by field, where, when and in the colours that its commands say', () => {
    const picture = readDiscPicture(packet, colours)!
    expect(picture).toMatchObject({ x: 100, y: 40, width: 8, height: 3, isForced: true, frame: null })
    // In units of 1024/90000 s.
    expect(picture.begins).toBeCloseTo(1.024, 6)
    expect(picture.ends).toBeCloseTo(2.048, 6)
    // The first field has rows 0 and 2, the second row 1.
    const [first, second, third] = drawn(picture, { 0xff0000: 'r', 0x0000ff: 'b' })
    expect(first).toBe('rrrr....')
    expect(second).toBe('rbb.....')
    expect(third).toBe('........')
    expect(picture.rgba[4 * (8 + 1) + 3]).toBe(8 * 17)
  })

  test('that is damaged is none, whatever is cut off or changed', () => {
    for (let length = 0; length < packet.length; length++) readDiscPicture(packet.subarray(0, length), colours)
    for (let at = 0; at < packet.length; at++) {
      const other = Uint8Array.from(packet)
      other[at] = other[at]! ^ 0xff
      readDiscPicture(other, colours)
    }
    expect(readDiscPicture(packet.subarray(0, 8), colours)).toBe(null)
  })

  test('gets size and colours from the head of its track; without them it can still be read', () => {
    const head = `size: 720x576\npalette: ${Array.from({ length: 16 }, (_, index) => `0000${index.toString(16).padStart(2, '0')}`).join(', ')}\n`
    const known = readPaletteHead(new TextEncoder().encode(head))
    expect(known.frame).toEqual({ width: 720, height: 576 })
    expect(known.colours[15]).toBe(15)
    expect(readPaletteHead(null)).toEqual({ frame: null, colours: expect.objectContaining({ length: 16 }) as number[] })
  })
})

describe('pictures of text by presentation graphics', () => {
  const segment = (type: number, body: number[]) => [type, ...two(body.length), ...body]
  const composition = (state: number, objects: number[][]) =>
    segment(0x16, [...two(1920), ...two(1080), 0x10, 0, 1, state, 0, 0, objects.length, ...objects.flat()])
  // Entry 1: white by BT.709 (luma 235), seen; entry 2: luma 16, half.
  const palette = segment(0x14, [0, 0, 1, 235, 128, 128, 255, 2, 16, 128, 128, 128])
  const runs = [
    // Row 1: one pixel of 1, three of 2 (10 LLLLLL, colour), end of line.
    ...[1, 0, 0x83, 2, 0, 0],
    // Row 2: four of nothing (00 LLLLLL), end of line.
    ...[0, 4, 0, 0],
  ]
  const object = segment(0x15, [...two(7), 0, 0xc0, 0, ...two(runs.length + 4), ...two(4), ...two(2), ...runs])
  const end = segment(0x80, [])
  const place = [...two(7), 0, 0x40, ...two(300), ...two(900)]

  test('are drawn where the composition has them', () => {
    const picture = new GraphicsReader().read(
      Uint8Array.from([...composition(0x80, [place]), ...palette, ...object, ...end]),
    )!
    expect(picture).toMatchObject({
      frame: { width: 1920, height: 1080 },
      x: 300,
      y: 900,
      width: 4,
      height: 2,
      isForced: true,
    })
    expect(drawn(picture, { 0xffffff: 'w', 0x000000: 'k' })).toEqual(['wkkk', '....'])
    expect(picture.rgba[7]).toBe(128)
  })

  test('are remembered within an epoch, taken away by an empty one, and forgotten by the next', () => {
    const reader = new GraphicsReader()
    const show = (...parts: number[][]) => reader.read(Uint8Array.from([...parts.flat(), ...end]))
    expect(show(composition(0x80, [place]), palette, object)).not.toBe(null)
    expect(show(composition(0x00, []))).toBe(null)
    expect(show(composition(0x00, [place]))!.width).toBe(4)
    expect(show(composition(0x80, [place]))).toBe(null)
  })

  test('of an object in two pieces are whole', () => {
    const first = segment(0x15, [
      ...two(7),
      0,
      0x80,
      0,
      ...two(runs.length + 4),
      ...two(4),
      ...two(2),
      ...runs.slice(0, 3),
    ])
    const second = segment(0x15, [...two(7), 0, 0x40, ...runs.slice(3)])
    const picture = new GraphicsReader().read(
      Uint8Array.from([...composition(0x80, [place]), ...palette, ...first, ...second, ...end]),
    )!
    expect(drawn(picture, { 0xffffff: 'w', 0x000000: 'k' })).toEqual(['wkkk', '....'])
  })

  test('that are damaged are none', () => {
    const whole = Uint8Array.from([...composition(0x80, [place]), ...palette, ...object, ...end])
    for (let length = 0; length < whole.length; length++) new GraphicsReader().read(whole.subarray(0, length))
    for (let at = 0; at < whole.length; at++) {
      const other = Uint8Array.from(whole)
      other[at] = other[at]! ^ 0xff
      new GraphicsReader().read(other)
    }
    expect(new GraphicsReader().read(whole.subarray(0, 12))).toBe(null)
  })
})

describe('the track that is burnt in', () => {
  const track = (codec: string, language: string | null, roles?: SubtitleFacts['roles']): SubtitleFacts => ({
    streamIndex: 2,
    codec,
    language,
    ...(roles ? { roles } : {}),
  })
  const of = (subtitles: SubtitleFacts[], changes: Partial<StepOf<'burn-subtitles'>> = {}) =>
    chooseBurnt({ ...facts(), subtitles }, { ...(newStep('burn-subtitles') as StepOf<'burn-subtitles'>), ...changes })

  test('is the first of its language, and not the forced one unless that is asked for', () => {
    const all = [track('subrip', 'eng'), track('ass', 'ger', ['forced']), track('subrip', 'deu')]
    expect(of(all)).toMatchObject({ position: 0, codec: 'subrip' })
    expect(of(all, { language: 'de' })).toMatchObject({ position: 2 })
    expect(of(all, { language: 'de', which: 'forced' })).toMatchObject({ position: 1, onlyForced: false })
  })

  test('of a disc has what must be shown among its pictures', () => {
    expect(of([track('dvd_subtitle', 'nl')], { which: 'forced' })).toMatchObject({ position: 0, onlyForced: true })
  })

  test('is none with a sentence where there is none', () => {
    expect(of([])).toEqual({ none: 'No subtitles are burnt in: this source has none.' })
    expect(of([track('subrip', 'eng')], { language: 'fr' })).toEqual({
      none: 'No subtitles are burnt in: this source has none in French that can be.',
    })
    expect(of([track('dvb_teletext', 'eng')])).toEqual({
      none: 'No subtitles are burnt in: this source has none that can be.',
    })
  })
})
