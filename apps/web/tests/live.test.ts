import {
  actOnJobs,
  addDrive,
  addToInventory,
  beginCopy,
  changeDrive,
  createOrder,
  draftJobIds,
  keepCopied,
  listen,
  listSources,
  removeSource,
  type Listening,
} from '@hematine/database'
import type { EventStream } from 'h3'
import { afterEach, beforeEach, describe, expect, test } from 'vitest'
import { onlyNamed, pictureSpecs } from '@hematine/core'
import type { LiveChange } from '#shared/api'
import { LiveHub } from '../server/utils/live.ts'
import { makeOrder, useDatabase } from '../../../tests/support/database.ts'
import { patience } from '../../../tests/support/patience.ts'

/** What browsers are told, from the tables' own announcements on. */
const db = useDatabase()
let hub: LiveHub
let listening: Listening

/** A browser that keeps what it hears. */
function browser(orderId: number) {
  const heard: LiveChange[] = []
  let close = () => undefined as void
  const stream = {
    push: async ({ event, data }: { event: string; data: string }) => {
      if (event === 'change') heard.push(JSON.parse(data) as LiveChange)
    },
    onClosed: (call: () => void) => {
      close = call
    },
    close: async () => undefined,
  } as unknown as EventStream
  hub.add({ orderId, stream })
  return { heard, leave: () => close(), last: () => heard.at(-1) }
}

beforeEach(async () => {
  await db.fresh()
  hub = new LiveHub(() => db.em())
  listening = await listen(
    db.url,
    change => hub.noteChange(change),
    () => hub.tellAllToReload(),
  )
})
afterEach(async () => {
  hub.close()
  await listening.end()
})

describe('what changes', () => {
  test('is told to the browsers of its order, gathered into few messages', async () => {
    const { order } = await makeOrder(db, [])
    const other = await createOrder(db.em(), { code: 'T-2', name: 'Other', dueAt: null })
    const [own, stranger] = [browser(order.id), browser(other.id)]
    await addToInventory(
      db.em(),
      order.id,
      Array.from({ length: 50 }, (_, index) => onlyNamed(`Tape ${index}`)),
    )
    await expect.poll(() => own.heard.some(change => change.inventory), patience).toBe(true)
    expect(own.heard.length).toBeLessThanOrEqual(3)
    expect(stranger.heard.every(change => change.copies.length === 0 && change.active.length === 0)).toBe(true)
  })

  test('of a drive and of a disc that is read in: the drive is to be asked for, the copy comes along', async () => {
    const { order, source } = await makeOrder(db, [])
    const other = await createOrder(db.em(), { code: 'T-2', name: 'Other', dueAt: null })
    const [own, stranger] = [browser(order.id), browser(other.id)]
    const driveId = await addDrive(db.em(), { name: 'Stand-in drive', shelf: '/shelf', speed: 4 })
    await changeDrive(db.em(), driveId, { disc: 'a.iso' })
    await expect.poll(() => own.last()?.drives, patience).toBe(true)
    const { id } = await beginCopy(db.em(), db.queue, { orderId: order.id, driveId, volumeId: source.id })
    await keepCopied(db.em(), id, { sectorsDone: 30, sectorsTotal: 90, unreadable: [] })
    await expect
      .poll(() => own.last()?.copies, patience)
      .toMatchObject([{ id, disc: 'a.iso', state: 'reading', sectorsDone: 30, sectorsTotal: 90 }])
    expect(stranger.heard.flatMap(change => change.copies)).toEqual([])
  })

  test('of what forecasts are made of concerns every job: all lists are to be asked for again', async () => {
    const { order } = await makeOrder(db, [])
    const own = browser(order.id)
    const shape = { low: -1, middle: 0, high: 1 }
    const run = (sql: string, values: unknown[] = []) => db.em().getConnection().execute(sql, values)
    await run(
      `insert into forecast_outcome (job_id, source_name, spec_name, kind, basis, finished_at, seconds, bytes) values (1, 'a', 'b', 'own/long/copy', 'own', now(), '{}', '{}')`,
    )
    await expect.poll(() => own.heard.some(change => change.outcomes), patience).toBe(true)
    expect(own.heard.every(change => change.jobIds?.length === 0)).toBe(true)
    await run(`insert into calibration (kind, results, calibration) values ('own', 20, ?::jsonb)`, [
      JSON.stringify({ count: 20, seconds: shape, bytes: shape }),
    ])
    await expect.poll(() => own.heard.some(change => change.jobIds === null && change.curves), patience).toBe(true)
  })

  test('of sources is told by number, also when they are gone; a browser that left hears nothing', async () => {
    const { order } = await makeOrder(db, ['a.mp4', 'b.mp4'])
    const [own, gone] = [browser(order.id), browser(order.id)]
    gone.leave()
    const [first] = await listSources(db.em(), { orderId: order.id })
    await removeSource(db.em(), first!.id)
    await expect.poll(() => own.heard.flatMap(change => change.sourceIds), patience).toContain(first!.id)
    expect(gone.heard).toEqual([])
  })
})

describe('a batch', () => {
  test('is told by its numbers alone, and beyond some hundreds as one that is to be asked for anew', async () => {
    const made = await makeOrder(
      db,
      Array.from({ length: 80 }, (_, index) => `${index}.mp4`),
    )
    const own = browser(made.order.id)
    const draft = (sourceIds: number[], specKeys: string[]) =>
      draftJobIds(
        db.em(),
        db.queue,
        sourceIds.flatMap(sourceId => specKeys.map(specKey => ({ sourceId, specKey }))),
        made.delivery.id,
      )
    const few = await draft(made.sourceIds.slice(0, 30), ['small-mp4'])
    const told = () => own.heard.flatMap(change => change.jobIds ?? [])
    await expect.poll(() => new Set(told()).size, patience).toBe(30)
    // None is being done, so no record goes along: what a message holds does not grow with the batch.
    expect(own.heard.flatMap(change => change.active)).toEqual([])
    await draft(
      made.sourceIds,
      pictureSpecs.map(spec => spec.key),
    )
    await expect.poll(() => own.heard.some(change => change.jobIds === null), patience).toBe(true)
    expect(Math.max(...own.heard.map(change => JSON.stringify(change).length))).toBeLessThan(10_000)
    own.heard.length = 0
    await actOnJobs(db.em(), few.ids, 'remove')
    await expect.poll(() => new Set(told()).size, patience).toBe(30)
  })
})
