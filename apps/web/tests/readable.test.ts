import { expect, test } from 'vitest'
import { z } from 'zod'
import { readable } from '#shared/readable'

const Row = z.object({ id: z.int(), name: z.string() })
const good = [
  { id: 1, name: 'one' },
  { id: 3, name: 'three' },
]
const [one, three] = good
const bad = { id: 2, name: null }

test('rows that can be read come through without those that cannot', () => {
  expect(readable(z.array(Row), [one, bad, three])).toEqual({ answer: good, leftOut: 1 })
  expect(
    readable(z.object({ total: z.int(), rows: z.array(Row) }), { total: 3, rows: [bad, one, bad, three] }),
  ).toEqual({ answer: { total: 3, rows: good }, leftOut: 2 })
})

test('an answer that is whole is as it is', () => {
  expect(readable(z.array(Row), good)).toEqual({ answer: good, leftOut: 0 })
})

test('what is no row of a list is not hidden', () => {
  expect(() => readable(Row, bad)).toThrow(z.ZodError)
  expect(() => readable(z.object({ total: z.int(), rows: z.array(Row) }), { total: 'many', rows: good })).toThrow(
    z.ZodError,
  )
})
