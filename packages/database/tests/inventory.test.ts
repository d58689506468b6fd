import { beforeEach, describe, expect, test } from 'vitest'
import { rational, type PlannedSource } from '@hematine/core'
import {
  addToInventory,
  bringIn,
  keepFacts,
  listInventory,
  removeFromInventory,
  removeSource,
  type Arrival,
} from '../src/index.ts'
import { facts } from '../../core/tests/examples.ts'
import { makeOrder, useDatabase } from '../../../tests/support/database.ts'

const db = useDatabase()
let orderId: number
let volumeId: number

beforeEach(async () => {
  await db.fresh()
  const made = await makeOrder(db, [])
  orderId = made.order.id
  volumeId = made.source.id
})

const item = (name: string, changes: Partial<PlannedSource> = {}): PlannedSource => ({
  name,
  carrier: null,
  seconds: null,
  width: null,
  height: null,
  framesPerSecond: null,
  scan: null,
  codec: null,
  bytes: null,
  notes: null,
  ...changes,
})
const add = (...items: PlannedSource[]) => addToInventory(db.em(), orderId, items)
const arrive = async (...arrivals: Arrival[]) => (await bringIn(db.em(), db.queue, orderId, arrivals)).brought
const file = (path: string): Arrival => ({ kind: 'file', volumeId, path })
const list = async () => (await listInventory(db.em(), orderId)).map(entry => [entry.planned.name, entry.sourceName])

describe('an inventory', () => {
  test('waits for what it announces, and what arrives is matched by name', async () => {
    expect(await add(item('Tape 12'), item('Tape 2'))).toEqual({ added: 2, alreadyThere: 0 })
    expect(await list()).toEqual([
      ['Tape 2', null],
      ['Tape 12', null],
    ])
    await arrive(file('box 1/tape_2.dv'), file('other.mov'))
    expect(await list()).toEqual([
      ['Tape 12', null],
      ['Tape 2', 'tape_2.dv'],
    ])
  })

  test('read after the material came is matched to what is here', async () => {
    await arrive(file('Tape 2.dv'))
    await add(item('Tape 2'), item('Tape 3'))
    expect(await list()).toEqual([
      ['Tape 3', null],
      ['Tape 2', 'Tape 2.dv'],
    ])
  })

  test('read twice adds nothing twice', async () => {
    await add(item('Tape 2'))
    expect(await add(item('tape-2.dv'), item('Tape 3'))).toEqual({ added: 1, alreadyThere: 1 })
    expect(await list()).toHaveLength(2)
  })

  test('knows a disc by its title and a sequence by its folder; each item has one source', async () => {
    await add(item('Training disc 4'), item('Approach'), item('Training disc 4 title 2'))
    await arrive(
      { kind: 'title', volumeId, disc: { path: 'Training disc 4/VIDEO_TS', title: 1, angle: 1 } },
      { kind: 'title', volumeId, disc: { path: 'Training disc 4/VIDEO_TS', title: 2, angle: 1 } },
      { kind: 'title', volumeId, disc: { path: 'Training disc 4/VIDEO_TS', title: 3, angle: 1 } },
      {
        kind: 'sequence',
        volumeId,
        directory: 'renders/Approach',
        frameRate: rational(24),
        sequence: { prefix: 'f', suffix: '.exr', padding: 4, first: 1, last: 9, missing: [] },
      },
    )
    expect(await list()).toEqual([
      ['Approach', 'f[0001-0009].exr'],
      ['Training disc 4', 'Training disc 4 title 1'],
      ['Training disc 4 title 2', 'Training disc 4 title 2'],
    ])
  })

  test('names what differs once the facts are read', async () => {
    await add(item('clip', { seconds: 300, codec: 'H.264' }))
    const [source] = await arrive(file('clip.mp4'))
    expect((await listInventory(db.em(), orderId))[0]!.differences).toEqual([])
    await keepFacts(db.em(), db.queue, source!.id, facts(), 'x')
    expect((await listInventory(db.em(), orderId))[0]!.differences).toEqual(['length 2:00 instead of 5:00'])
  })

  test('waits again when its source is taken out, and items can be taken out themselves', async () => {
    await add(item('clip'))
    const [source] = await arrive(file('clip.mp4'))
    await removeSource(db.em(), source!.id)
    expect(await list()).toEqual([['clip', null]])
    await removeFromInventory(db.em(), [(await listInventory(db.em(), orderId))[0]!.id])
    expect(await list()).toEqual([])
  })
})
