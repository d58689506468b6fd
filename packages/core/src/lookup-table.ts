/** A table of colours in the open .cube format (version 1.0 of its specification). */
export interface LookupTable {
  title: string | null
  /** A curve for each colour, or a cube. */
  kind: '1d' | '3d'
  /** Entries of a curve, or along each side of the cube. */
  size: number
}

/** A .cube file that cannot be used; the message is a sentence that names the line. */
export class LookupTableProblem extends Error {}

/** Largest tables taken: what colour programs commonly write, and what still loads at once. */
const mostOf = { '1d': 65_536, '3d': 65 }

const number = String.raw`[-+]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?`
const triple = new RegExp(`^(${number})\\s+(${number})\\s+(${number})$`)

/**
 * Reads a .cube file's head and checks every line of it: one size, the domain, then exactly size (or size cubed) lines of three numbers.
 * @throws LookupTableProblem
 */
export function parseLookupTable(text: string): LookupTable {
  let [title, kind, size, rows]: [string | null, LookupTable['kind'] | null, number, number] = [null, null, 0, 0]
  const wrong = (line: number, what: string) => new LookupTableProblem(`Line ${line} of the table ${what}. Write it again from the program that made it.`)
  for (const [index, raw] of text.split(/\r\n|\n|\r/).entries()) {
    const line = raw.trim()
    if (line === '' || line.startsWith('#')) continue
    if (triple.test(line)) {
      if (!kind) throw wrong(index + 1, 'has numbers before LUT_1D_SIZE or LUT_3D_SIZE says how many')
      rows++
      continue
    }
    const [word, ...rest] = line.split(/\s+/)
    if (rows > 0) throw wrong(index + 1, `is "${line.slice(0, 40)}" where three numbers belong`)
    if (word === 'TITLE') {
      title = /^TITLE\s+"(.*)"$/.exec(line)?.[1] ?? null
    } else if (word === 'LUT_1D_SIZE' || word === 'LUT_3D_SIZE') {
      if (kind) throw wrong(index + 1, 'gives a second size')
      kind = word === 'LUT_1D_SIZE' ? '1d' : '3d'
      size = Number(rest[0])
      if (rest.length !== 1 || !Number.isInteger(size) || size < 2) throw wrong(index + 1, 'gives no size of 2 or more')
      if (size > mostOf[kind]) throw new LookupTableProblem(`The table has a size of ${size}; at most ${mostOf[kind]} is taken. Write it out smaller.`)
    } else if (word === 'DOMAIN_MIN' || word === 'DOMAIN_MAX') {
      if (!triple.test(rest.join(' '))) throw wrong(index + 1, `needs three numbers after ${word}`)
    } else if (word !== 'LUT_1D_INPUT_RANGE' && word !== 'LUT_3D_INPUT_RANGE') {
      throw wrong(index + 1, `is "${line.slice(0, 40)}", which is no part of a .cube file`)
    }
  }
  if (!kind) throw new LookupTableProblem('The file says nowhere how large its table is (LUT_1D_SIZE or LUT_3D_SIZE). Choose a .cube file.')
  const wanted = kind === '1d' ? size : size ** 3
  if (rows !== wanted) throw new LookupTableProblem(`The table should have ${wanted} lines of numbers and has ${rows}: the file is cut short or was put together wrongly. Write it again.`)
  return { title, kind, size }
}

/** "cube of 33", "curves of 1024". */
export function describeLookupTable({ kind, size }: LookupTable): string {
  return kind === '3d' ? `cube of ${size}` : `curves of ${size}`
}
