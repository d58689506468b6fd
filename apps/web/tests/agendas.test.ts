import { mkdtemp, rm } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import path from 'node:path'
import { anyTime, WhatIf } from '@hematine/core'
import {
  actOnJobs,
  beginSample,
  changeHours,
  changeOrder,
  createOrder,
  dispatchJobs,
  draftJobs,
  keepMeasurement,
  keepProgress,
  listen,
  listJobs,
  listOrders,
  moveJobs,
  orderJobs,
  registerVolume,
  retireWorker,
  startJob,
  takeTask,
  type Listening,
} from '@hematine/database'
import { afterEach, beforeEach, describe, expect, test } from 'vitest'
import { Agendas } from '../server/utils/agendas.ts'
import { closedNow } from '../../../tests/support/closed-hours.ts'
import { makeOrder, makeWorker, useDatabase } from '../../../tests/support/database.ts'
import { sample, window } from '../../../tests/support/samples.ts'

/** The plans that the server keeps in memory, against what is in the database. */
const db = useDatabase()
let made: Awaited<ReturnType<typeof makeOrder>>
let agendas: Agendas
let listening: Listening

beforeEach(async () => {
  await db.fresh()
  made = await makeOrder(db, ['one.mov', 'two.mov', 'three.mov'])
  agendas = new Agendas(
    () => db.em(),
    () => listening.catchUp(),
  )
  listening = await listen(
    db.url,
    change => agendas.noteChange(change),
    () => agendas.forget(),
  )
})
afterEach(() => listening.end())

async function drafted(): Promise<number[]> {
  const { jobs } = await draftJobs(
    db.em(),
    db.queue,
    made.sourceIds.map(sourceId => ({ sourceId, specKey: 'small-mp4' })),
    made.delivery.id,
  )
  return jobs.map(job => job.id)
}
const rows = <Row>(sql: string, parameters: unknown[] = []) => db.em().getConnection().execute<Row[]>(sql, parameters)
async function measureAll(): Promise<void> {
  for (const { id } of await rows<{ id: number }>('select id from sample')) {
    const { run } = (await beginSample(db.em(), id))!
    await keepMeasurement(db.em(), id, run, sample([window(), window()]))
  }
}
const listed = async (states?: ('draft' | 'waiting' | 'held')[]) =>
  (await agendas.list(made.order.id, { states }, 'plan')).jobs.map(job => job.id)

describe('the plan of an order', () => {
  test('follows at once what was written: drafts, releases, moves, removals', async () => {
    expect(await listed()).toEqual([])
    const [one, two, three] = (await drafted()) as [number, number, number]
    expect(await listed(['draft'])).toEqual([one, two, three])
    await actOnJobs(db.em(), [one, two], 'release')
    expect(await listed(['waiting'])).toEqual([one, two])
    await moveJobs(db.em(), [two], one)
    expect(await listed(['waiting'])).toEqual([two, one])
    await actOnJobs(db.em(), [three], 'remove')
    expect(await listed()).toEqual([two, one])
    expect((await agendas.of(made.order.id)).agenda.summary.counts).toMatchObject({ waiting: 2, draft: 0 })
  })

  test('follows a draft that is made again under another spec, and one that is measured', async () => {
    const [one] = (await drafted()) as [number, number, number]
    const outline = async () => (await agendas.list(made.order.id, {}, 'plan')).jobs.find(job => job.id === one)!
    const before = await outline()
    expect(before).toMatchObject({ specKey: 'small-mp4', measured: null })
    await draftJobs(db.em(), db.queue, [{ sourceId: made.sourceIds[0]!, specKey: 'small-mkv' }], made.delivery.id)
    const { jobs } = await agendas.list(made.order.id, { sourceId: made.sourceIds[0]! }, 'plan')
    expect(jobs.map(job => job.specKey).sort()).toEqual(['small-mkv', 'small-mp4'])
    await db.em().getConnection().execute(`update sample set state = 'failed' where id = ?`, [before.sampleId])
    expect(await outline()).toMatchObject({ sampleState: 'failed' })
    const other = jobs.find(job => job.id !== one)!
    await db.em().getConnection().execute('update job set sample_id = ? where id = ?', [other.sampleId, one])
    expect(await outline()).toMatchObject({ sampleId: other.sampleId, sampleState: other.sampleState })
  })

  test('says what is still to be written to which volume, and follows a draft that is to go to another one', async () => {
    const [one] = (await drafted()) as [number, number, number]
    const storage = async () =>
      (await agendas.of(made.order.id)).agenda.summary.storage.map(({ volumeIds, unknown }) => [volumeIds, unknown])
    expect(await storage()).toEqual([[[made.delivery.id], 3]])
    const directory = await mkdtemp(path.join(tmpdir(), 'hematine-volume-'))
    const other = await registerVolume(db.em(), { name: 'Other', role: 'delivery', path: directory })
    await draftJobs(db.em(), db.queue, [{ sourceId: made.sourceIds[0]!, specKey: 'small-mp4' }], other.id)
    expect((await listJobs(db.em(), { ids: [one] }))[0]).toMatchObject({ deliveryVolumeId: other.id })
    expect(await storage()).toEqual([
      [[other.id], 1],
      [[made.delivery.id], 2],
    ])
    // Both on one disk are one need.
    const together = new Agendas(
      () => db.em(),
      () => listening.catchUp(),
      async () => [{ volumeIds: [made.delivery.id, other.id], freeBytes: 1 }],
    )
    const { summary } = (await together.of(made.order.id)).agenda
    expect(summary.storage.map(({ volumeIds, unknown }) => [volumeIds, unknown])).toEqual([
      [[other.id, made.delivery.id], 3],
    ])
    await rm(directory, { recursive: true })
  })

  test('says which orders end after their due times, with the very ends that lists show, and follows what is taken of it', async () => {
    const ids = await drafted()
    const other = await createOrder(db.em(), {
      code: 'T-2',
      name: 'Rush',
      dueAt: new Date(Date.now() - 3600_000),
    })
    const worker = await makeWorker(db)
    await measureAll()
    await actOnJobs(db.em(), ids, 'release')
    // The last that waits is the other order's, and all of it is late already; the longer what is before it takes, the later.
    await db.em().getConnection().execute('update job set order_id = ? where id = ?', [other.id, ids[2]])
    await db
      .em()
      .getConnection()
      .execute(`update sample set measurement = jsonb_set(measurement, '{startSeconds}', '500')`)
    agendas.forget()
    const suggest = async () => agendas.suggestion(made.order.id, await listOrders(db.em()))
    const found = await suggest()
    const { agenda } = await agendas.of(made.order.id)
    expect(worker.lanes).toBeGreaterThan(0)
    expect(found).toMatchObject({ waiting: 3, unknown: 0, isBetter: true, before: ids })
    expect(found.after[0]).toBe(ids[2])
    for (const [place, { id }] of found.orders.entries()) {
      const last = id === other.id ? ids[2]! : ids[1]!
      expect(found.orders[place]!.now.end!.expected).toBeCloseTo(agenda.places.get(last)!.end.expected, 6)
    }
    // Nobody waits for the same twice.
    const [again, beside] = await Promise.all([suggest(), suggest()])
    expect(again).toBe(beside)
    expect(again).toBe(found)
    await orderJobs(db.em(), found.after, 'by due times')
    agendas.forgetOutlooks()
    expect(await suggest()).toMatchObject({ isBetter: false, before: found.after })
    await changeOrder(db.em(), other.id, { dueAt: null })
    expect((await suggest()).now.lateSeconds).toBe(0)
    await changeOrder(db.em(), other.id, { dueAt: new Date(Date.now() - 3600_000) })
    expect(await suggest()).toMatchObject({ isBetter: false, before: found.after })
    expect(await listed(['waiting'])).toEqual(found.after.filter(id => id !== ids[2]))
  })

  test('looks ahead at all orders with the very ends that lists show, and leaves no trace of what is supposed', async () => {
    const ids = await drafted()
    const other = await createOrder(db.em(), {
      code: 'T-2',
      name: 'Rush',
      dueAt: new Date(Date.now() + 86_400_000),
    })
    await makeWorker(db)
    await measureAll()
    await actOnJobs(db.em(), ids.slice(0, 2), 'release')
    await rows('update job set order_id = ? where id = ?', [other.id, ids[1]])
    agendas.forget()
    const volumes = [{ id: made.delivery.id, freeBytes: 1e9 }]
    const look = async (supposed: object = {}) =>
      agendas.outlook(await listOrders(db.em()), volumes, WhatIf.parse(supposed))
    const before = await rows('select * from job order by id')
    const found = await look()
    for (const { id, end } of found.orders) {
      const { agenda } = await agendas.of(id)
      expect(end!.expected).toBeCloseTo(agenda.summary.released.end!.expected, 6)
    }
    expect(found.orders.map(({ code, jobs, inTime }) => [code, jobs, inTime])).toEqual([
      ['T-1', 1, null],
      ['T-2', 1, 1],
    ])
    expect(found.volumes).toMatchObject([{ volumeIds: [made.delivery.id], freeBytes: 1e9, unknown: 0 }])
    // A draft of an order that nobody has open counts, where drafts do.
    expect(await look({ withDrafts: true })).toMatchObject({ all: { jobs: 3 } })
    const first = await look({ first: [other.id], lanesMore: 1, due: [{ orderId: other.id, dueAt: null }] })
    expect(first).toMatchObject({ lanes: 2, sequence: [ids[1], ids[0]] })
    expect(first.orders[1]).toMatchObject({ dueAt: null, inTime: null })
    expect(await rows('select * from job order by id')).toEqual(before)
    expect((await agendas.of(made.order.id)).agenda.summary.lanes).toBe(1)
    expect((await look()).sequence).toEqual(found.sequence)

    // What was begun for nothing is counted, and a lane that is there shows at once.
    expect(found.repeats).toEqual({ begun: 0, lost: 0 })
    const worker = await makeWorker(db)
    await dispatchJobs(db.em(), db.queue, 1)
    const { payload } = (await takeTask(db.em(), db.queue, 'job', worker.id))!
    await startJob(db.em(), payload.jobId, payload.attempt, worker)
    await retireWorker(db.em(), db.queue, worker.id, 'its worker was lost')
    agendas.forgetOutlooks()
    expect(await look()).toMatchObject({ lanes: 1, repeats: { begun: 1, lost: 1 } })
  })

  test('hears how far a job is for every plan, whichever of them is asked first', async () => {
    const ids = await drafted()
    const worker = await makeWorker(db)
    await actOnJobs(db.em(), ids.slice(0, 1), 'release')
    await dispatchJobs(db.em(), db.queue, 1)
    const { payload } = (await takeTask(db.em(), db.queue, 'job', worker.id))!
    await startJob(db.em(), payload.jobId, payload.attempt, worker)
    const seen = async () => (await agendas.of(made.order.id)).own.find(({ id }) => id === ids[0])!.progress
    expect(await seen()).toBeNull()
    await keepProgress(db.em(), payload.jobId, payload.attempt, worker.id, {
      ...{ stage: 'encode', framesDone: 50, framesTotal: 100, framesPerSecond: 25, timesRealTime: 1 },
      ...{ bytesWritten: 1, secondsLeft: 2, part: 0.5 },
    })
    // A plan is not made anew for progress within a second of the last one.
    await new Promise(resolve => setTimeout(resolve, 1100))
    await agendas.outlook(await listOrders(db.em()), [], WhatIf.parse({}))
    expect(await seen()).toMatchObject({ framesDone: 50 })
  })

  test('keeps what was told of a job that is begun, and follows what finished work says of the others', async () => {
    const ids = await drafted()
    const worker = await makeWorker(db)
    await measureAll()
    const told = async () => {
      const { agenda } = await agendas.of(made.order.id)
      const records = await listJobs(db.em(), { ids })
      // Lists and plans say the same.
      for (const job of records) expect(agenda.forecasts.get(job.id)).toEqual(job.forecast)
      return ids.map(id => records.find(job => job.id === id)!.forecast!.seconds.expected)
    }
    const [before] = await told()
    await actOnJobs(db.em(), ids.slice(0, 1), 'release')
    await dispatchJobs(db.em(), db.queue, 1)
    const { payload } = (await takeTask(db.em(), db.queue, 'job', worker.id))!
    await startJob(db.em(), payload.jobId, payload.attempt, worker)
    expect((await told())[0]).toBe(before)
    const shape = { low: 0, middle: 1, high: 2 }
    await db
      .em()
      .getConnection()
      .execute(`insert into calibration (kind, results, calibration) values ('own', 20, ?::jsonb)`, [
        JSON.stringify({ count: 20, seconds: shape, bytes: shape }),
      ])
    const [begun, ...others] = await told()
    expect(begun).toBe(before)
    // A half-width more than was measured.
    for (const expected of others) expect(expected).toBeGreaterThan(before! * 1.2)
  })

  test('stays one object while nothing changes, so that no two answers differ', async () => {
    await drafted()
    const first = await agendas.of(made.order.id)
    const [second, third] = await Promise.all([agendas.of(made.order.id), agendas.of(made.order.id)])
    expect(second.agenda).toBe(first.agenda)
    expect(third.agenda).toBe(first.agenda)
  })

  test("knows other orders' open work, and the lanes of all workers", async () => {
    const ids = await drafted()
    await actOnJobs(db.em(), ids, 'release')
    await makeWorker(db, { lanes: 2 })
    const other = await createOrder(db.em(), { code: 'T-2', name: 'Other', dueAt: null })
    const summary = (await agendas.of(other.id)).agenda.summary
    expect(summary).toMatchObject({ lanes: 2, released: { jobs: 0 } })
    await actOnJobs(db.em(), ids, 'cancel')
    expect((await agendas.of(made.order.id)).agenda.summary.counts).toMatchObject({ cancelled: 3 })
  })

  test('follows the hours in which jobs are worked on: all that is planned ends in them', async () => {
    const [one] = (await drafted()) as [number]
    await measureAll()
    await actOnJobs(db.em(), [one], 'release')
    await makeWorker(db, { lanes: 1 })
    const end = async () => {
      const { summary } = (await agendas.of(made.order.id)).agenda
      return Date.parse(summary.at) + summary.released.end!.expected * 1000
    }
    expect(await end()).toBeLessThan(Date.now() + 3600_000)
    await changeHours(db.em(), closedNow())
    expect(await end()).toBeGreaterThan(Date.now() + 24 * 3600_000)
    const { orders } = await agendas.outlook(await listOrders(db.em()), [], WhatIf.parse({}))
    expect(orders[0]!.end!.expected).toBeGreaterThan(24 * 3600)
    const atAnyTime = await agendas.outlook(await listOrders(db.em()), [], WhatIf.parse({ atAnyTime: true }))
    expect(atAnyTime.orders[0]!.end!.expected).toBeLessThan(3600)
    await changeHours(db.em(), anyTime)
    expect(await end()).toBeLessThan(Date.now() + 3600_000)
  })

  test('is read anew after a gap in what was heard', async () => {
    const ids = await drafted()
    await listed()
    await listening.end()
    await actOnJobs(db.em(), ids, 'release')
    listening = await listen(
      db.url,
      change => agendas.noteChange(change),
      () => agendas.forget(),
    )
    agendas.forget()
    expect(await listed(['waiting'])).toEqual(ids)
  })

  test('an order that is gone from the list of jobs leaves an empty plan, not an error', async () => {
    expect((await agendas.of(4711)).agenda.summary).toMatchObject({ bars: [], withDrafts: { jobs: 0, end: null } })
  })
})
