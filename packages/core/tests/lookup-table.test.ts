import { describe, expect, test } from 'vitest'
import { describeLookupTable, LookupTableProblem, parseLookupTable } from '../src/index.ts'

/** A cube of two along each side that leaves colours as they are, as the format's specification writes one: red changes fastest. */
const plain = [
  '# made by hand',
  'TITLE "Plain"',
  'LUT_3D_SIZE 2',
  'DOMAIN_MIN 0 0 0',
  'DOMAIN_MAX 1.0 1.0 1.0',
  '0 0 0',
  '1 0 0',
  '0 1 0',
  '1 1 0',
  '0 0 1',
  '1 0 1',
  '0 1 1',
  '1 1 1e0',
].join('\n')

describe('a .cube file', () => {
  test('says what it is', () => {
    const table = parseLookupTable(plain)
    expect(table).toMatchObject({ kind: '3d', size: 2 })
    expect(parseLookupTable(plain.replaceAll('\n', '\r\n'))).toEqual(table)
    const curves = parseLookupTable('LUT_1D_SIZE 3\n0 0 0\n.5 .5 .5\n1 1 1\n')
    expect(curves).toMatchObject({ kind: '1d', size: 3 })
    expect(describeLookupTable(curves)).toBe('curves of 3')
  })

  test('is kept with its size first, its domain after it and nothing else, and reads the same again', () => {
    const late = [
      'TITLE "Late"',
      'DOMAIN_MAX 2 2 2',
      '# half of the light',
      '',
      'LUT_1D_SIZE 2',
      '0 0 0',
      '  1 1 1  ',
    ].join('\n')
    const { text } = parseLookupTable(late)
    expect(text).toBe('LUT_1D_SIZE 2\nDOMAIN_MAX 2 2 2\n0 0 0\n1 1 1\n')
    expect(parseLookupTable(text).text).toBe(text)
  })

  test.each([
    ['', 'says nowhere how large'],
    ['0 0 0', 'Line 1 of the table has numbers before'],
    [plain.replace('\n1 1 1e0', ''), 'should have 8 lines of numbers and has 7'],
    [`${plain}\n0 0 0`, 'should have 8 lines of numbers and has 9'],
    [plain.replace('1 1 0', '1 1 x'), 'Line 9 of the table is "1 1 x" where three numbers belong'],
    [plain.replace('LUT_3D_SIZE 2', 'LUT_3D_SIZE 66'), 'at most 65'],
    [plain.replace('LUT_3D_SIZE 2', 'LUT_3D_SIZE two'), 'Line 3 of the table gives no size'],
    [plain.replace('DOMAIN_MIN 0 0 0', 'DOMAIN_MIN 0'), 'Line 4 of the table needs three numbers'],
    [plain.replace('# made by hand', 'made by hand'), 'Line 1 of the table is "made by hand", which is no part'],
    [plain.replace('DOMAIN_MIN 0 0 0', 'LUT_1D_SIZE 4'), 'gives a second size'],
    [
      plain.replace('DOMAIN_MIN 0 0 0', 'LUT_3D_INPUT_RANGE 0 1'),
      'Line 4 of the table is "LUT_3D_INPUT_RANGE 0 1", which is no part',
    ],
  ])('that is wrong is refused with the place (%#)', (text, words) => {
    expect(() => parseLookupTable(text)).toThrow(LookupTableProblem)
    expect(() => parseLookupTable(text)).toThrow(words)
  })
})

test('a line of 200,000 digits is refused as any other long line, at once', () => {
  // Read by backtracking, it took over a minute.
  for (const length of [501, 200_000])
    expect(() => parseLookupTable(`LUT_1D_SIZE 2\n${'1'.repeat(length)}\n`)).toThrow(
      'Line 2 of the table is longer than 500 characters',
    )
})
