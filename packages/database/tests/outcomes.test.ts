import { anyTime } from '@hematine/core'
import { beforeEach, describe, expect, test } from 'vitest'
import {
  actOnJobs,
  beginPlacing,
  beginSample,
  calibrationsOf,
  changeHours,
  dispatchJobs,
  draftJobs,
  failJob,
  finishJob,
  keepMeasurement,
  listJobs,
  listOutcomes,
  listOutlines,
  machineOf,
  readJob,
  startJob,
  takeTask,
  type WorkerIdentity,
} from '../src/index.ts'
import { makeOrder, makeWorker, useDatabase } from '../../../tests/support/database.ts'
import { sample, window } from '../../../tests/support/samples.ts'

/** Finished jobs are held against their forecasts, and what they say goes into the next ones. */

const db = useDatabase()
const names = Array.from({ length: 32 }, (_, index) => `reel ${index + 1}.mp4`)
let made: Awaited<ReturnType<typeof makeOrder>>
let worker: WorkerIdentity

beforeEach(async () => {
  await db.fresh()
  made = await makeOrder(db, names)
  worker = await makeWorker(db)
})

async function draft(count: number, specKey = 'playback-box'): Promise<number[]> {
  const wishes = made.sourceIds.slice(0, count).map(sourceId => ({ sourceId, specKey }))
  return (await draftJobs(db.em(), db.queue, wishes, made.delivery.id)).jobs.map(job => job.id)
}

/** Measures every sample that there is. @param encodeSeconds of each of three stretches of 30 frames */
async function measureAll(encodeSeconds = 3, busyCores?: number): Promise<void> {
  const rows = await db.em().getConnection().execute<{ id: number }[]>(`select id from sample`)
  await db.em().getConnection().execute(`update sample set state = 'waiting'`)
  for (const { id } of rows) {
    const { run } = (await beginSample(db.em(), id))!
    await keepMeasurement(db.em(), id, run, {
      ...sample([window({ encodeSeconds }), window({ encodeSeconds }), window()]),
      ...(busyCores === undefined ? {} : { busyCores }),
    })
  }
}

async function begin() {
  await dispatchJobs(db.em(), db.queue, 1)
  const { payload } = (await takeTask(db.em(), db.queue, 'job', worker.id))!
  return (await startJob(db.em(), payload.jobId, payload.attempt, worker))!
}
type Begun = Awaited<ReturnType<typeof begin>>

/** Does the next job, or one that is begun. @param part of what was expected of it that it takes, in time and bytes */
async function finishNext(part: number, begun?: Begun): Promise<number> {
  const job = begun ?? (await begin())
  const forecast = job.promised?.forecast
  const bytes = Math.round((forecast?.bytes.expected ?? 1000) * part)
  await beginPlacing(db.em(), job.id, job.attempt, worker.id, {
    check: { verdict: 'pass', lines: [], measurement: { sha256: 'x', bytes } } as never,
    temporaryPath: `job-${job.id}`,
    outputPath: `${job.id}.mp4`,
    workSeconds: (forecast?.seconds.expected ?? 1) * part,
  })
  await finishJob(db.em(), job.id)
  return job.id
}
const forecastOf = async (id: number) => (await listJobs(db.em(), { ids: [id] }))[0]!.forecast

describe('a job that is begun', () => {
  test('keeps the forecast that was told, whatever is measured later', async () => {
    const [id] = await draft(1)
    await measureAll()
    const told = await forecastOf(id!)
    await actOnJobs(db.em(), [id!], 'release')
    await begin()
    await measureAll(30)
    expect(await forecastOf(id!)).toEqual(told)
    expect((await listOutlines(db.em(), { ids: [id!] }))[0]!.promised).toEqual(told)
  })

  test('is told anew when a person has it tried again', async () => {
    const [id] = await draft(1)
    await measureAll()
    await actOnJobs(db.em(), [id!], 'release')
    const told = await forecastOf(id!)
    const job = await begin()
    await failJob(db.em(), job.id, job.attempt, worker.id, 'a test')
    await measureAll(30)
    expect(await forecastOf(id!)).toEqual(told)
    await actOnJobs(db.em(), [id!], 'retry')
    expect((await forecastOf(id!))!.seconds.expected).toBeGreaterThan(told!.seconds.expected * 3)
  })

  test('and of which nothing was known is held against nothing', async () => {
    await actOnJobs(db.em(), await draft(1), 'release')
    await finishNext(1)
    expect(await listOutcomes(db.em(), 10)).toEqual([])
  })
})

describe('results', () => {
  test('of twenty jobs make the ranges of the next, and every fifth after them makes them anew', async () => {
    const ids = await draft(32)
    await measureAll()
    await actOnJobs(db.em(), ids.slice(0, 30), 'release')
    const [before] = [await forecastOf(ids[31]!)]
    expect(before!.heldAgainst).toBeUndefined()
    // A fourth more than expected, and a tenth up or down with each.
    for (let count = 0; count < 19; count++) await finishNext(1.25 * (1 + 0.1 * ((count % 3) - 1)))
    expect(await calibrationsOf(db.em())).toEqual(new Map())
    await finishNext(1.25)
    expect([...(await calibrationsOf(db.em())).keys()].sort()).toEqual(['own', 'own/long/h264/constant quality'])
    const after = await forecastOf(ids[31]!)
    expect(after!.heldAgainst).toBe(20)
    expect(after!.seconds.expected / before!.seconds.expected).toBeCloseTo(1.25, 6)
    expect(after!.seconds.low / before!.seconds.expected).toBeCloseTo(1.125, 6)
    expect(after!.seconds.high / before!.seconds.expected).toBeCloseTo(1.375, 6)
    expect(after!.bytes.expected / before!.bytes.expected).toBeCloseTo(1.25, 4)
    // What was told of those that are done stays, and what comes now is held against what is told now.
    expect((await forecastOf(ids[0]!))!.heldAgainst).toBeUndefined()
    for (let count = 0; count < 4; count++) await finishNext(1)
    expect((await forecastOf(ids[31]!))!.seconds).toEqual(after!.seconds)
    await finishNext(1)
    expect((await forecastOf(ids[31]!))!.heldAgainst).toBe(25)
    const [newest] = await listOutcomes(db.em(), 1)
    expect(newest).toMatchObject({
      jobId: ids[24],
      sourceName: 'reel 25.mp4',
      specName: 'Playback box MP4',
      kind: 'own/long/h264/constant quality',
      heldAgainst: 20,
      seconds: { said: after!.seconds, took: after!.seconds.expected },
    })
    expect(await listOutcomes(db.em(), 100)).toHaveLength(25)
  })

  test('stay when their jobs and sources are removed', async () => {
    const [id] = await draft(1)
    await measureAll()
    await actOnJobs(db.em(), [id!], 'release')
    await finishNext(1)
    await db.em().getConnection().execute(`delete from job`)
    expect(await listOutcomes(db.em(), 10)).toHaveLength(1)
  })
})

describe('kinds of work', () => {
  test('are the same of a list of jobs in outline as of the jobs themselves', async () => {
    const kinds: Record<string, string> = {
      'playback-box': 'own/long/h264/constant quality',
      'archive-master': 'own/long/ffv1/lossless',
      'editing-master': 'own/long/prores/set by profile',
      'sound-flac': 'own/long/sound/flac',
      'untouched-mkv': 'own/long/copy',
    }
    for (const [specKey, kind] of Object.entries(kinds)) {
      const [id] = await draft(1, specKey)
      await measureAll()
      await actOnJobs(db.em(), [id!], 'release')
      const job = await begin()
      const [outline] = await listOutlines(db.em(), { ids: [job.id] })
      const { videoCodec, rate, soundCodec, isCopied } = outline!.traits
      expect(job.promised!.kind).toBe(kind)
      expect(kind).toContain(videoCodec ? `${videoCodec}/${rate}` : isCopied ? 'copy' : `sound/${soundCodec}`)
      expect(isCopied).toBe(specKey === 'untouched-mkv')
      expect(outline!.traits.durationSeconds).toBe((await readJob(db.em(), job.id)).durationSeconds)
    }
  })
})

describe('jobs that ran beside others', () => {
  const secondsAgo = (id: number, seconds: number) =>
    db
      .em()
      .getConnection()
      .execute(`update job set started_at = now() - interval '${seconds} seconds' where id = ${id}`)

  /** Every day but for an hour, which ended some minutes ago. */
  const restedJustNow = () => {
    const begun = Date.now() - 250_000
    const time = (moment: number) => new Date(moment).toISOString().slice(11, 16)
    const spans = [{ days: [1, 2, 3, 4, 5, 6, 7], from: time(begun), to: time(begun - 3600_000) }]
    return { hours: { zone: 'UTC', spans }, workOnUntil: null }
  }

  test.each([
    ['', anyTime, 0],
    [', in the hours in which they worked', restedJustNow(), 3600],
  ] as const)('are held against their forecasts with what those took from them%s', async (_, hours, rest) => {
    await changeHours(db.em(), hours)
    worker = await makeWorker(db, { cores: 2, lanes: 2 })
    await db.em().getConnection().execute(`update worker set gone_at = now() where id <> '${worker.id}'`)
    const ids = await draft(3)
    // Each keeps both cores busy.
    await measureAll(3, 2)
    await actOnJobs(db.em(), ids, 'release')
    const told = (await forecastOf(ids[0]!))!
    const [first, second, third] = [await begin(), await begin(), await begin()]
    // For the first half of its time alone, for the second beside another: a half and a quarter of it are work.
    await secondsAgo(first.id, rest + 1000)
    await secondsAgo(second.id, rest + 500)
    await secondsAgo(third.id, 0)
    await finishNext(1000 / told.seconds.expected, first)
    const [outcome] = await listOutcomes(db.em(), 1)
    expect(outcome!.seconds.took).toBeCloseTo(1000, 6)
    expect(outcome!.seconds.said.expected / told.seconds.expected).toBeCloseTo(1000 / 750, 2)
    expect(outcome!.seconds.said.high / told.seconds.high).toBeCloseTo(1000 / 750, 2)
    expect(outcome!.bytes.said).toEqual(told.bytes)
    const after = (await forecastOf(first.id))!
    expect(after.seconds).toEqual(told.seconds)
    expect(after.slowing).toBeCloseTo(1000 / 750, 2)
  })

  test('are as they were where nobody knows how many cores there are', async () => {
    const ids = await draft(2)
    await measureAll(3, 2)
    await actOnJobs(db.em(), ids, 'release')
    const [first, second] = [await begin(), await begin()]
    await secondsAgo(first.id, 1000)
    await secondsAgo(second.id, 1000)
    await finishNext(1, first)
    expect((await forecastOf(first.id))!.slowing).toBe(1)
  })
})

describe('the machine that lanes share', () => {
  test('has the lanes of all workers, and each host once with its cores', async () => {
    expect(await machineOf(db.em())).toEqual({ lanes: 1, cores: null, hours: anyTime })
    await db.em().getConnection().execute('update worker set gone_at = now()')
    for (const [host, lanes] of [
      ['a', 2],
      ['a', 1],
      ['b', 4],
    ] as const)
      await makeWorker(db, { host, lanes, cores: 8 })
    expect(await machineOf(db.em())).toEqual({ lanes: 7, cores: 16, hours: anyTime })
    await makeWorker(db, { host: 'c', lanes: 1 })
    expect(await machineOf(db.em())).toEqual({ lanes: 8, cores: null, hours: anyTime })
  })
})

test('it is kept of a job whether several lanes can work at it', async () => {
  await draft(1)
  await draft(1, 'open-web-webm')
  const extents = await listOutlines(db.em(), { openAndOf: [made.order.id] })
  expect(extents.map(({ extent }) => extent.isDivisible)).toEqual([true, true])
})
