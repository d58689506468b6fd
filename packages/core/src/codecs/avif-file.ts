import { av1Unit, av1Units, av1UnitType, readAv1Sequence, type Av1Sequence } from './av1-units.ts'
import type { AboutFile } from './picture-codec.ts'

const text = (words: string): number[] => [...new TextEncoder().encode(words)]
const two = (value: number): number[] => [value >> 8, value & 0xff]
const four = (value: number): number[] => [value >>> 24, (value >>> 16) & 0xff, (value >>> 8) & 0xff, value & 0xff]

/** A box: its length, its name and what is in it (ISO/IEC 14496-12, 4.2). */
function box(name: string, ...parts: readonly ArrayLike<number>[]): Uint8Array {
  const length = 8 + parts.reduce((sum, part) => sum + part.length, 0)
  const result = new Uint8Array(length)
  result.set(four(length))
  result.set(text(name), 4)
  let at = 8
  for (const part of parts) {
    result.set(part, at)
    at += part.length
  }
  return result
}

/** A box with a version and flags. */
const fullBox = (name: string, version: number, ...parts: readonly ArrayLike<number>[]) =>
  box(name, [version, 0, 0, 0], ...parts)

/** Numbers of the two items. */
const [picture, camera] = [1, 2]

/** How a decoder is set up for a picture (AV1 in ISO base media, 2.3.3), without the head of the sequence, which stands before the picture. */
function configuration(sequence: Av1Sequence): Uint8Array {
  const { profile, level, isHighTier, bitDepth, isGrey, halvesAcross, halvesDown, chromaPosition } = sequence
  const flags = [isHighTier, bitDepth > 8, bitDepth === 12, isGrey, halvesAcross, halvesDown]
  const packed = flags.reduce((value, flag) => (value << 1) | Number(flag), 0)
  return box('av1C', [0x81, (profile << 5) | level, (packed << 2) | chromaPosition, 0])
}

/** What is said of the picture (ISO/IEC 23008-12, 6.5; colours as ISO/IEC 14496-12, 12.1.5 has them), each with whether it must be understood. */
function properties(sequence: Av1Sequence, { frame, profile }: AboutFile): [what: Uint8Array, isEssential: boolean][] {
  const { bitDepth, isGrey, primaries, transfer, matrix, isFullRange } = sequence
  const depths = Array.from({ length: isGrey ? 1 : 3 }, () => bitDepth)
  const range = isFullRange ? 0x80 : 0
  return [
    [fullBox('ispe', 0, four(frame.width), four(frame.height)), false],
    [fullBox('pixi', 0, [depths.length, ...depths]), false],
    [configuration(sequence), true],
    [box('colr', text('nclx'), two(primaries), two(transfer), two(matrix), [range]), false],
    ...(profile ? [[box('colr', text('prof'), profile), false] as [Uint8Array, boolean]] : []),
  ]
}

/**
 * Puts a picture that AV1 codes into a file of its own (AVIF: AV1 Image File Format 1.1; HEIF: ISO/IEC 23008-12), with its colours' profile and with camera
 * data where there are any.
 * @param packet a picture that leans on no other, with the head of its sequence
 * @throws TypeError when it has none
 */
export function avifFile(packet: Uint8Array, about: AboutFile): Uint8Array {
  // What only parts pictures in time has no place in an item (AV1 in ISO base media, 2.4).
  const units = av1Units(packet).filter(unit => av1UnitType(unit) !== av1Unit.temporalDelimiter)
  const head = units.find(unit => av1UnitType(unit) === av1Unit.sequenceHeader)
  if (!head) throw new TypeError('A picture of AV1 has no head of its sequence.')
  // Camera data begin with where their TIFF header is (ISO/IEC 23008-12, annex A.2.1).
  const items: ArrayLike<number>[][] = [units, ...(about.exif ? [[four(0), about.exif]] : [])]
  const lengths = items.map(parts => parts.reduce((sum, part) => sum + part.length, 0))
  const described = properties(readAv1Sequence(head), about)
  const isEssential = 0x80
  const typeBox = box('ftyp', text('avif'), four(0), text('avif'), text('mif1'), text('miaf'))
  const meta = (begin: number) => {
    const places = lengths.map((length, index) => [
      ...two(index === 0 ? picture : camera),
      ...two(0),
      ...two(1),
      ...four(begin + lengths.slice(0, index).reduce((sum, before) => sum + before, 0)),
      ...four(length),
    ])
    const entry = (item: number, type: string) => fullBox('infe', 2, two(item), two(0), text(type), [0])
    const entries = [entry(picture, 'av01'), ...(about.exif ? [entry(camera, 'Exif')] : [])]
    return fullBox(
      'meta',
      0,
      fullBox('hdlr', 0, four(0), text('pict'), four(0), four(0), four(0), [0]),
      fullBox('pitm', 0, two(picture)),
      // Offsets and lengths of four bytes each.
      fullBox('iloc', 0, [0x44, 0], two(places.length), places.flat()),
      fullBox('iinf', 0, two(entries.length), ...entries),
      // The second item tells of the first.
      ...(about.exif ? [fullBox('iref', 0, box('cdsc', two(camera), two(1), two(picture)))] : []),
      box(
        'iprp',
        box('ipco', ...described.map(([what]) => what)),
        fullBox(
          'ipma',
          0,
          four(1),
          two(picture),
          [described.length],
          described.map(([, must], index) => (index + 1) | (must ? isEssential : 0)),
        ),
      ),
    )
  }
  const begin = typeBox.length + meta(0).length + 8
  const data = box('mdat', ...items.flat())
  const heads = [typeBox, meta(begin)]
  const file = new Uint8Array(begin - 8 + data.length)
  file.set(heads[0]!)
  file.set(heads[1]!, typeBox.length)
  file.set(data, begin - 8)
  return file
}
