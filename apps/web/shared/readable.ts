import type { z } from 'zod'

/** Says in an answer how many rows were left out of it. */
export const leftOutHeader = 'x-rows-left-out'

/** Most rounds of leaving rows out: rows within rows. */
const rounds = 4

/**
 * An answer as its schema reads it. Rows of lists that cannot be read are left out, so that one of them never takes the others with it.
 * @returns the answer, and how many rows were left out
 * @throws ZodError when what cannot be read is no row of a list
 */
export function readable<Schema extends z.ZodType>(
  schema: Schema,
  answer: unknown,
): { answer: z.output<Schema>; leftOut: number } {
  let now = answer
  let leftOut = 0
  for (let round = 0; ; round++) {
    const parsed = schema.safeParse(now)
    if (parsed.success) return { answer: parsed.data, leftOut }
    const rows = new Map<string, { list: PropertyKey[]; index: number }>()
    for (const { path } of parsed.error.issues) {
      const at = path.findIndex(
        (part, index) => typeof part === 'number' && Array.isArray(valueAt(now, path.slice(0, index))),
      )
      if (at < 0 || round >= rounds) throw parsed.error
      rows.set(JSON.stringify(path.slice(0, at + 1)), { list: path.slice(0, at), index: path[at] as number })
    }
    now = without(now, [...rows.values()])
    leftOut += rows.size
  }
}

function valueAt(value: unknown, path: readonly PropertyKey[]): unknown {
  return path.reduce<unknown>((inner, key) => (inner as Record<PropertyKey, unknown> | null | undefined)?.[key], value)
}

/** A copy of a value whose lists lack some rows. */
function without(value: unknown, rows: readonly { list: PropertyKey[]; index: number }[]): unknown {
  const own = rows.filter(({ list }) => list.length === 0).map(({ index }) => index)
  if (Array.isArray(value)) {
    const inner = value.map((entry, index) =>
      without(
        entry,
        rows.filter(({ list }) => list[0] === index).map(row => ({ ...row, list: row.list.slice(1) })),
      ),
    )
    return inner.filter((_, index) => !own.includes(index))
  }
  if (typeof value !== 'object' || value === null) return value
  return Object.fromEntries(
    Object.entries(value).map(([key, entry]) => {
      const deeper = rows.filter(({ list }) => list[0] === key).map(row => ({ ...row, list: row.list.slice(1) }))
      return [key, deeper.length > 0 ? without(entry, deeper) : entry]
    }),
  )
}
