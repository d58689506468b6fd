import { beforeEach, describe, expect, test } from 'vitest'
import type { SampleMeasurement } from '@hematine/core'
import {
  actOnJobs,
  beginSample,
  draftJobIds,
  draftJobs,
  keepMeasurement,
  keepSampleFailure,
  likeRatesOf,
  listEvents,
  listJobs,
  listOutlines,
  measureJobAgain,
  measureMore,
  takeTask,
} from '../src/index.ts'
import { makeOrder, makeWorker, useDatabase } from '../../../tests/support/database.ts'

/** What makes batches of thousands bearable: some are measured for all, and an action on many is one action. */
const db = useDatabase()
let made: Awaited<ReturnType<typeof makeOrder>>
const names = (count: number) => Array.from({ length: count }, (_, index) => `reel ${index}.mov`)
beforeEach(async () => {
  await db.fresh()
  made = await makeOrder(db, names(10))
})
const wishes = (specKey = 'small-mp4', sourceIds = made.sourceIds) => sourceIds.map(sourceId => ({ sourceId, specKey }))
const draft = (specKey?: string) => draftJobs(db.em(), db.queue, wishes(specKey), made.delivery.id)
const samples = async () =>
  db
    .em()
    .getConnection()
    .execute<{ id: number; state: string; spec: string }[]>(
      `select id, state, spec ->> 'key' as spec from sample order by id`,
    )
const inState = async (state: string) => (await samples()).filter(sample => sample.state === state).length

const measurement = (secondsPerFrame: number): SampleMeasurement => ({
  windows: [
    {
      startSeconds: 0,
      frames: 100,
      encodeSeconds: 100 * secondsPerFrame,
      checkSeconds: 0,
      firstKeyframeBytes: 1000,
      otherKeyframes: 0,
      otherKeyframeBytes: 0,
      interFrames: 99,
      interBytes: 99_000,
    },
  ],
  soundBytesPerSecond: 0,
  soundPacketsPerSecond: 0,
  soundSecondsPerSecond: 0,
  startSeconds: 1,
  machine: 'test, 2 cores',
  tookSeconds: 1,
})
async function measure(sampleId: number, secondsPerFrame: number): Promise<void> {
  const begun = await beginSample(db.em(), sampleId)
  await keepMeasurement(db.em(), sampleId, begun!.run, measurement(secondsPerFrame))
}

describe('of a lot', () => {
  test('three sources are measured for all; the others are forecast by them, with wider ranges', async () => {
    await makeWorker(db)
    const { jobs } = await draft()
    expect(jobs.filter(job => job.sampleState === 'waiting')).toHaveLength(3)
    expect(jobs.filter(job => job.sampleState === 'later')).toHaveLength(7)
    expect(jobs.every(job => job.forecast === null)).toBe(true)
    const asked = (await samples()).filter(sample => sample.state === 'waiting')
    for (const [index, { id }] of asked.entries()) await measure(id, 0.1 + index * 0.01)
    const known = await listJobs(db.em(), { orderId: made.order.id })
    const [own, carried] = [known.filter(job => !job.forecast!.carried), known.filter(job => job.forecast!.carried)]
    expect([own.length, carried.length]).toEqual([3, 7])
    expect(carried[0]!.forecast!.carried!.from).toBe(3)
    const width = (job: (typeof known)[number]) => job.forecast!.seconds.high / job.forecast!.seconds.expected
    expect(width(carried[0]!)).toBeGreaterThan(width(own[0]!))
    // All ten are equally long, so that the mean of the three is what each of the rest takes.
    const mean = own.reduce((sum, job) => sum + job.forecast!.seconds.expected, 0) / 3
    expect(carried[0]!.forecast!.seconds.expected).toBeCloseTo(mean, 3)
  })

  test('with another spec or treatment others are measured; drafting again asks for nothing more', async () => {
    await draft()
    await draft('archive-master')
    await draft()
    expect((await samples()).filter(sample => sample.state === 'waiting').map(sample => sample.spec)).toEqual(
      expect.arrayContaining(['small-mp4', 'archive-master']),
    )
    expect(await inState('waiting')).toBe(6)
  })

  test('one that cannot be measured is stood in for by another, but not without end', async () => {
    await draft()
    for (let failures = 0; failures < 6; failures++) {
      expect(await inState('waiting')).toBe(3)
      const [next] = (await samples()).filter(sample => sample.state === 'waiting')
      const begun = await beginSample(db.em(), next!.id)
      await keepSampleFailure(db.em(), db.queue, next!.id, begun!.run, 'It cannot be decoded.')
    }
    expect(await inState('waiting')).toBe(2)
    expect(await inState('later')).toBe(2)
  })

  test('a person has one measured that others stand for', async () => {
    const { jobs } = await draft()
    const later = jobs.find(job => job.sampleState === 'later')!
    expect((await measureJobAgain(db.em(), db.queue, later.id)).sampleState).toBe('waiting')
  })

  test('what a person wants measured comes before what waits, once, whether it waited itself or stood for others to be measured', async () => {
    const worker = await makeWorker(db)
    const { jobs } = await draft()
    // Each job has a sample, in the order of the jobs.
    const ids = (await samples()).map(sample => sample.id)
    const inState = (state: string) => ids.filter((_, index) => jobs[index]!.sampleState === state)
    const [first, second, third] = inState('waiting')
    const [later] = inState('later')
    for (const wanted of [third!, later!]) await measureJobAgain(db.em(), db.queue, jobs[ids.indexOf(wanted)]!.id)
    const taken: number[] = []
    for (let task; (task = await takeTask(db.em(), db.queue, 'sample', worker.id));) taken.push(task.payload.sampleId)
    expect(taken.slice(0, 2)).toEqual([third, later])
    // Nothing waits twice: another worker would measure it a second time meanwhile.
    expect(taken.slice(2).sort((a, b) => a - b)).toEqual([first, second])
  })
})

describe('when nothing else is to be done', () => {
  test('the most unsure group is measured further, one at a time', async () => {
    await makeWorker(db)
    await draft('small-mp4')
    await draft('archive-master')
    expect(await measureMore(db.em(), db.queue)).toBe(false)
    // The sources of one spec are alike, those of the other are not.
    for (const { id, spec } of (await samples()).filter(sample => sample.state === 'waiting'))
      await measure(id, spec === 'small-mp4' ? 0.1 : 0.05 * (1 + (id % 3)))
    // Reading the ten sources is still to be measured, so the machine is not idle yet.
    expect(await measureMore(db.em(), db.queue)).toBe(false)
    await db.em().getConnection().execute(`update source set measure_state = 'ready'`)
    expect(await measureMore(db.em(), db.queue)).toBe(true)
    expect((await samples()).filter(sample => sample.state === 'waiting').map(sample => sample.spec)).toEqual([
      'archive-master',
    ])
    expect(await measureMore(db.em(), db.queue)).toBe(false)
  })

  test('a group of which nothing is known comes first; released work is not held up', async () => {
    await db.em().getConnection().execute(`update source set measure_state = 'ready'`)
    const { jobs } = await draft()
    await db.em().getConnection().execute(`update sample set state = 'failed' where state = 'waiting'`)
    await actOnJobs(db.em(), [jobs[0]!.id], 'release')
    expect(await measureMore(db.em(), db.queue)).toBe(false)
    await actOnJobs(db.em(), [jobs[0]!.id], 'hold')
    expect(await measureMore(db.em(), db.queue)).toBe(true)
  })
})

test('outlines say of each job what plans need, and of a group what its measured sources say', async () => {
  await makeWorker(db)
  const { jobs } = await draft()
  const asked = (await samples()).filter(sample => sample.state === 'waiting')
  for (const { id } of asked) await measure(id, 0.1)
  const outlines = await listOutlines(db.em(), { openAndOf: [made.order.id] })
  expect(outlines).toHaveLength(10)
  expect(outlines.find(outline => outline.id === jobs[0]!.id)).toMatchObject({
    sourceName: 'reel 0.mov',
    specKey: 'small-mp4',
    state: 'draft',
    orderId: made.order.id,
  })
  expect(outlines.filter(outline => outline.measured !== null)).toHaveLength(3)
  expect(new Set(outlines.map(outline => outline.likeKey)).size).toBe(1)
  const rates = await likeRatesOf(db.em(), [outlines[0]!.likeKey!])
  expect(rates.get(outlines[0]!.likeKey!)!.count).toBe(3)
  // What nobody will do of orders that nobody asked for is left out; drafts and what waits are not.
  await actOnJobs(db.em(), [jobs[0]!.id], 'release')
  await actOnJobs(db.em(), [jobs[1]!.id], 'cancel')
  const open = (await listOutlines(db.em(), { openAndOf: [] })).map(outline => outline.id)
  expect(open.sort((a, b) => a - b)).toEqual(jobs.map(job => job.id).filter(id => id !== jobs[1]!.id))
})

describe('drafting', () => {
  test('tells how far it is, and leaves nothing when it is stopped', async () => {
    await db.fresh()
    made = await makeOrder(db, names(250))
    const told: number[][] = []
    const stop = new AbortController()
    await expect(
      draftJobIds(db.em(), db.queue, wishes(), made.delivery.id, {
        signal: stop.signal,
        progress: (done, of) => {
          told.push([done, of])
          if (done >= 200) stop.abort()
        },
      }),
    ).rejects.toThrow('Drafting was stopped, and nothing was drafted.')
    expect(told.at(-1)).toEqual([200, 250])
    expect(await listJobs(db.em(), { orderId: made.order.id })).toEqual([])
    const { ids } = await draftJobIds(db.em(), db.queue, wishes(), made.delivery.id)
    expect(ids).toHaveLength(250)
    expect((await listJobs(db.em(), { orderId: made.order.id })).map(job => job.id)).toEqual(ids)
  })
})

describe('an action on many', () => {
  const feed = () => listEvents(db.em(), { orderId: made.order.id, limit: 100 })

  test('is one event, which gives the others on demand', async () => {
    const { jobs } = await draft()
    await actOnJobs(
      db.em(),
      jobs.map(job => job.id),
      'release',
    )
    await actOnJobs(db.em(), [jobs[4]!.id], 'hold')
    const events = await feed()
    expect(events.map(event => [event.event, event.action?.jobs ?? 1])).toEqual([
      ['hold', 1],
      ['release', 10],
      ['create', 10],
    ])
    const rows = await listEvents(db.em(), { orderId: made.order.id, limit: 500, action: events[1]!.action!.id })
    expect(rows.map(row => row.sourceName).sort()).toEqual(names(10).sort())
    expect((await listEvents(db.em(), { orderId: made.order.id, limit: 10, before: events[1]!.id })).length).toBe(1)
  })

  test('on jobs in several states is still one; when its first job is removed, another stands for the rest', async () => {
    const { jobs } = await draft()
    const ids = jobs.map(job => job.id)
    await actOnJobs(db.em(), [ids[0]!, ids[1]!], 'remove')
    expect((await feed()).map(event => [event.event, event.action?.jobs])).toEqual([['create', 8]])
    await actOnJobs(db.em(), ids.slice(2, 5), 'release')
    await actOnJobs(db.em(), ids.slice(2), 'cancel')
    expect((await feed()).map(event => [event.event, event.action?.jobs])).toEqual([
      ['cancel', 8],
      ['release', 3],
      ['create', 8],
    ])
  })
})
