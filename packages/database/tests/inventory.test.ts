import { beforeEach, describe, expect, test } from 'vitest'
import { onlyNamed, rational, type PlannedSource } from '@hematine/core'
import {
  addToInventory,
  announcedGround,
  beginSample,
  bringIn,
  draftJobs,
  keepFacts,
  keepMeasurement,
  expectInventory,
  listInventory,
  planInventory,
  removeFromInventory,
  removeSource,
  type Arrival,
} from '../src/index.ts'
import { facts } from '../../core/tests/examples.ts'
import { makeOrder, useDatabase } from '../../../tests/support/database.ts'
import { sample, window } from '../../../tests/support/samples.ts'

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
  ...onlyNamed(name),
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

describe('what is planned with a spec', () => {
  const idsOf = async () =>
    new Map((await listInventory(db.em(), orderId)).map(({ id, planned }) => [planned.name, id]))
  const plannedNames = async () =>
    (await announcedGround(db.em())).items.map(({ planned, specKey }) => [planned.name, specKey])

  test('is what was chosen, until it is here or planned no more', async () => {
    await add(item('Tape 1'), item('Tape 2'), item('Tape 3'))
    expect(await plannedNames()).toEqual([])
    const ids = await idsOf()
    await planInventory(db.em(), [ids.get('Tape 1')!, ids.get('Tape 2')!], 'small-mp4')
    expect(await plannedNames()).toEqual([
      ['Tape 1', 'small-mp4'],
      ['Tape 2', 'small-mp4'],
    ])
    expect((await listInventory(db.em(), orderId)).map(({ specKey }) => specKey)).toEqual([
      'small-mp4',
      'small-mp4',
      null,
    ])
    await arrive(file('tape 2.dv'))
    await planInventory(db.em(), [ids.get('Tape 3')!], 'archive-master')
    expect(await plannedNames()).toEqual([
      ['Tape 1', 'small-mp4'],
      ['Tape 3', 'archive-master'],
    ])
    await planInventory(db.em(), [...ids.values()], null)
    expect(await plannedNames()).toEqual([])
  })

  test('is expected when a person says so, or at no time', async () => {
    await add(item('Tape 1'), item('Tape 2'))
    const ids = await idsOf()
    const expected = async () => (await listInventory(db.em(), orderId)).map(({ planned }) => planned.expectedAt)
    expect(await expected()).toEqual([null, null])
    await expectInventory(db.em(), [ids.get('Tape 2')!], '2026-12-02T14:00:00.000Z')
    expect(await expected()).toEqual([null, '2026-12-02T14:00:00.000Z'])
    await planInventory(db.em(), [...ids.values()], 'small-mp4')
    expect((await announcedGround(db.em())).items.map(({ planned }) => planned)).toEqual([
      { ...item('Tape 1'), expectedAt: null },
      { ...item('Tape 2'), expectedAt: '2026-12-02T14:00:00.000Z' },
    ])
    await expectInventory(db.em(), [...ids.values()], null)
    expect(await expected()).toEqual([null, null])
  })

  test('cannot be planned with a spec that there is not', async () => {
    await add(item('Tape 1'))
    await expect(planInventory(db.em(), [...(await idsOf()).values()], 'no-such')).rejects.toMatchObject({
      status: 404,
    })
    expect(await plannedNames()).toEqual([])
  })

  test('has beside it what was measured with its spec, and how that was taken', async () => {
    await db.fresh()
    const other = await makeOrder(db, ['one.mov', 'two.mov', 'three.mov'])
    orderId = other.order.id
    const wishes = other.sourceIds.flatMap(sourceId =>
      ['small-mp4', 'archive-master'].map(specKey => ({ sourceId, specKey })),
    )
    await draftJobs(db.em(), db.queue, wishes, other.delivery.id)
    const samples = await db
      .em()
      .getConnection()
      .execute<{ id: number; key: string }[]>(`select id, spec ->> 'key' as key from sample order by id`)
    for (const { id } of samples.filter(({ key }) => key === 'small-mp4').slice(0, 2)) {
      const { run } = (await beginSample(db.em(), id))!
      await keepMeasurement(db.em(), id, run, sample([window(), window()]))
    }
    await add(item('Tape 1'), item('Tape 2'))
    const ids = await idsOf()
    await planInventory(db.em(), [ids.get('Tape 1')!], 'small-mp4')
    await planInventory(db.em(), [ids.get('Tape 2')!], 'archive-master')
    const { known, specs } = await announcedGround(db.em())
    expect([known.get('small-mp4')!.length, known.get('archive-master')]).toEqual([2, undefined])
    expect(known.get('small-mp4')![0]).toMatchObject({ scan: 'progressive', measurement: { startSeconds: 0.5 } })
    expect(known.get('small-mp4')![0]!.forecast.seconds.expected).toBeGreaterThan(0)
    expect(specs.get('small-mp4')!.name).toBe('Small MP4')
  })
})
