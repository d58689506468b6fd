import { expect, test } from 'vitest'
import { bringUpToDate, listLots, listSources, pageOfSources } from '../src/index.ts'
import { migrate, migratorOf } from '../src/migrating.ts'
import { discFacts, facts } from '../../core/tests/examples.ts'
import { useDatabase } from '../../../tests/support/database.ts'

const db = useDatabase()

test('sources that an older Hematine kept get their names, columns and lots, and lose nothing', async () => {
  await db.fresh(false)
  await migratorOf(db.database).up({ to: '001-first-tables' })
  const sql = (text: string, values: unknown[] = []) => db.em().getConnection().execute(text, values)
  await sql(`insert into work_order (code, name) values ('OLD', 'From before')`)
  await sql(`insert into volume (name, role, path) values ('Sources', 'source', '/made-up')`)
  const insert = (path: string, state: string, read: object | null) =>
    sql(
      `insert into source (order_id, volume_id, relative_path, kind, state, facts, reason) values (1, 1, ?, 'file', ?, ?, ?)`,
      [path, state, read && JSON.stringify(read), state === 'refused' ? 'The file is empty.' : null],
    )
  await insert('box/two\nlines "and" quotes.mpg', 'ready', discFacts)
  await insert('plain.mp4', 'ready', facts())
  await insert('other.mp4', 'ready', facts())
  await insert('gone.mov', 'refused', null)

  await migrate(db.database)
  expect(await bringUpToDate(db.em(), 2)).toBe(2)
  expect(await bringUpToDate(db.em(), 2)).toBe(1)
  expect(await bringUpToDate(db.em(), 2)).toBe(0)

  const sources = await listSources(db.em(), { orderId: 1 })
  expect(sources.map(source => [source.name, source.state, source.measureState])).toEqual([
    ['two\nlines "and" quotes.mpg', 'ready', 'none'],
    ['plain.mp4', 'ready', 'none'],
    ['other.mp4', 'ready', 'none'],
    ['gone.mov', 'refused', 'none'],
  ])
  expect(sources[0]!.facts).toEqual(discFacts)
  expect((await listLots(db.em(), 1, [])).map(lot => lot.count).sort()).toEqual([1, 2])
  const { rows } = await pageOfSources(db.em(), {
    orderId: 1,
    filter: [{ field: 'width', how: 'at least', value: 1000 }],
    sort: 'came',
    descending: true,
    offset: 0,
    limit: 10,
  })
  expect(rows.map(row => row.name)).toEqual(['other.mp4', 'plain.mp4'])
})
