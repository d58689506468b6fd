/** A table of colours in the open .cube format (version 1.0 of its specification). */
export interface LookupTable {
  /** A curve for each colour, or a cube. */
  kind: '1d' | '3d'
  /** Entries of a curve, or along each side of the cube. */
  size: number
  /** The same table with its head in one order (size, domain, numbers), without remarks: readers take what stands before the size for nothing. */
  text: string
}

/** A .cube file that cannot be used; the message is a sentence that names the line. */
export class LookupTableProblem extends Error {}

/** Largest tables taken: what colour programs commonly write, and what still loads at once. */
const mostOf = { '1d': 65_536, '3d': 65 }

/** No line of a table is longer: three numbers of any precision, or a title. */
const mostCharacters = 500

// Each character can be taken in one way only, so that a long line of digits takes no longer than any other.
const number = String.raw`[-+]?(?:\d+(?:\.\d*)?|\.\d+)(?:[eE][-+]?\d+)?`
const triple = new RegExp(`^(${number})\\s+(${number})\\s+(${number})$`)

/**
 * Reads a .cube file's head and checks every line of it: one size, the domain, then exactly size (or size cubed) lines of three numbers.
 * @throws LookupTableProblem
 */
export function parseLookupTable(text: string): LookupTable {
  let [kind, size]: [LookupTable['kind'] | null, number] = [null, 0]
  const [domain, rows]: [string[], string[]] = [[], []]
  const wrong = (line: number, what: string) =>
    new LookupTableProblem(`Line ${line} of the table ${what}. Write it again from the program that made it.`)
  for (const [index, raw] of text.split(/\r\n|\n|\r/).entries()) {
    if (raw.length > mostCharacters) throw wrong(index + 1, `is longer than ${mostCharacters} characters`)
    const line = raw.trim()
    if (line === '' || line.startsWith('#')) continue
    if (triple.test(line)) {
      if (!kind) throw wrong(index + 1, 'has numbers before LUT_1D_SIZE or LUT_3D_SIZE says how many')
      rows.push(line)
      continue
    }
    const [word, ...rest] = line.split(/\s+/)
    if (rows.length > 0) throw wrong(index + 1, `is "${line.slice(0, 40)}" where three numbers belong`)
    if (word === 'TITLE') continue
    if (word === 'LUT_1D_SIZE' || word === 'LUT_3D_SIZE') {
      if (kind) throw wrong(index + 1, 'gives a second size')
      kind = word === 'LUT_1D_SIZE' ? '1d' : '3d'
      size = Number(rest[0])
      if (rest.length !== 1 || !Number.isInteger(size) || size < 2) throw wrong(index + 1, 'gives no size of 2 or more')
      if (size > mostOf[kind])
        throw new LookupTableProblem(
          `The table has a size of ${size}; at most ${mostOf[kind]} is taken. Write it out smaller.`,
        )
    } else if (word === 'DOMAIN_MIN' || word === 'DOMAIN_MAX') {
      if (!triple.test(rest.join(' '))) throw wrong(index + 1, `needs three numbers after ${word}`)
      domain.push(line)
    } else {
      throw wrong(index + 1, `is "${line.slice(0, 40)}", which is no part of a .cube file`)
    }
  }
  if (!kind)
    throw new LookupTableProblem(
      'The file says nowhere how large its table is (LUT_1D_SIZE or LUT_3D_SIZE). Choose a .cube file.',
    )
  const wanted = kind === '1d' ? size : size ** 3
  if (rows.length !== wanted)
    throw new LookupTableProblem(
      `The table should have ${wanted} lines of numbers and has ${rows.length}: the file is cut short or was put together wrongly. Write it again.`,
    )
  return { kind, size, text: `${[`LUT_${kind.toUpperCase()}_SIZE ${size}`, ...domain, ...rows].join('\n')}\n` }
}

/** "cube of 33", "curves of 1024". */
export function describeLookupTable({ kind, size }: Pick<LookupTable, 'kind' | 'size'>): string {
  return kind === '3d' ? `cube of ${size}` : `curves of ${size}`
}
