import { createHash } from 'node:crypto'
import { readdir, readFile, rm, stat, truncate, writeFile } from 'node:fs/promises'
import path from 'node:path'
import { anyTime, type JobState } from '@hematine/core'
import { actOnJobs, changeHours, listJobs, readJob, readVolume, setLanes, unitsOf } from '@hematine/database'
import { afterAll, afterEach, beforeAll, beforeEach, describe, expect, test } from 'vitest'
import { closedNow } from '../../../tests/support/closed-hours.ts'
import { useDatabase } from '../../../tests/support/database.ts'
import { writeCountingClip } from '../../../tests/support/material.ts'
import { patience } from '../../../tests/support/patience.ts'
import { KnownTape, newRound, untilState } from '../../../tests/support/rounds.ts'
import { scratchDirectory } from '../../../tests/support/scratch.ts'
import { jobsHeld, TestWorker, useBuiltWorker } from '../../../tests/support/worker.ts'

/** A long job is made in segments by whichever lanes are free, and faults lose one of them at most. */

const db = useDatabase({ own: true })
useBuiltWorker()
const scratch = scratchDirectory()
const tape = path.join(scratch, 'tape.mkv')
const frames = 60
let known: KnownTape
let round = 0
let volumes: { source: string; delivery: string }
let orderId: number
let sourceId: number
let deliveryId: number
const workers: TestWorker[] = []

beforeAll(async () => {
  await writeCountingClip(tape, frames, { size: '160x120', tone: true })
  known = await KnownTape.read(tape)
})
beforeEach(async () => {
  ;({ volumes, orderId, sourceId, deliveryId } = await newRound(db, scratch, ['S', ++round], known))
})
afterEach(async () => {
  jobsHeld.letGo()
  await endAll()
  // What a test that failed left is nothing to the next.
  await changeHours(db.em(), anyTime)
  const jobs = await listJobs(db.em(), { orderId })
  await actOnJobs(
    db.em(),
    jobs.map(job => job.id),
    'cancel',
  )
})
afterAll(() => endAll())

const endAll = () => Promise.all(workers.splice(0).map(worker => worker.end('SIGKILL')))

/** Parts of any length are segments here. */
function startWorker(lanes = 1): TestWorker {
  const worker = new TestWorker(db.url, path.join(scratch, 'data'), `worker ${round}.${workers.length + 1}`, {
    HEMATINE_SEGMENT_SECONDS: '0.001',
    HEMATINE_LANES: String(lanes),
    HEMATINE_READY: '1',
  })
  workers.push(worker)
  return worker
}

async function release(specKey = 'archive-master'): Promise<number> {
  const id = await known.draft(db, { sourceId, deliveryId }, specKey)
  await actOnJobs(db.em(), [id], 'release')
  return id
}

const stateOf = async (id: number): Promise<JobState> => (await listJobs(db.em(), { ids: [id] }))[0]!.state
const until = (id: number, state: JobState) => untilState(db, id, state)
const segmentsOf = async (id: number) => (await unitsOf(db.em(), id)).filter(unit => unit.kind === 'segment')
const soundOf = async (id: number) => (await unitsOf(db.em(), id)).find(unit => unit.kind === 'sound')
const doneOf = async (id: number) => (await segmentsOf(id)).filter(unit => unit.state === 'done')
const untilDone = (id: number, least: number) =>
  expect.poll(async () => (await doneOf(id)).length, patience).toBeGreaterThanOrEqual(least)
const workDirectory = async () =>
  path.join(volumes.delivery, '.hematine', (await readVolume(db.em(), deliveryId)).marker)
const hidden = async () => (await readdir(await workDirectory())).filter(name => name.startsWith('job-'))
const runsOf = async (id: number) => (await unitsOf(db.em(), id)).map(unit => unit.run)

/** One whole result with every frame of its source, and nothing left over. */
async function expectDoneOnce(id: number): Promise<void> {
  await until(id, 'done')
  const job = await readJob(db.em(), id)
  const { measurement, lines } = job.check!
  expect(lines.filter(line => line.verdict === 'fail')).toEqual([])
  expect(measurement.video!.framesDecoded).toBe(frames)
  const content = await readFile(path.join(volumes.delivery, job.outputPath!))
  expect(createHash('sha256').update(content).digest('hex')).toBe(measurement.sha256)
  expect(job.events.filter(event => event.event === 'finish')).toHaveLength(1)
  await expect.poll(hidden, patience).toEqual([])
  expect(await unitsOf(db.em(), id)).toEqual([])
}

describe('a job in segments', () => {
  test('is made part by part and says how many are done', async () => {
    startWorker()
    jobsHeld.at('segment', 30)
    const id = await release()
    await untilDone(id, 2)
    await expect.poll(async () => (await readJob(db.em(), id)).progress?.segments?.done, patience).toBeGreaterThan(1)
    const { progress } = await readJob(db.em(), id)
    expect(progress!.stage).toBe('encode')
    expect(progress!.segments!.total).toBe((await segmentsOf(id)).length)
    jobsHeld.letGo()
    await expectDoneOnce(id)
    expect((await readJob(db.em(), id)).workSeconds).toBeGreaterThan(0)
  })

  test('is made by two lanes, and by another worker', async () => {
    startWorker(2)
    startWorker()
    jobsHeld.at('segment', 0)
    const id = await release()
    const working = async () => (await unitsOf(db.em(), id)).filter(unit => unit.state === 'working')
    await expect.poll(async () => (await working()).length, patience).toBe(3)
    expect(new Set((await working()).map(unit => unit.workerId)).size).toBe(2)
    jobsHeld.letGo()
    await expectDoneOnce(id)
    expect(new Set(await runsOf(id)).size).toBeLessThanOrEqual(1)
  })
})

describe('jobs in segments', () => {
  test('take the lanes with their parts: no more jobs are begun than there are lanes', async () => {
    startWorker(2)
    jobsHeld.at('segment', 0)
    const first = await release()
    const second = await release('editing-master')
    const third = await release('web-mp4')
    const working = async () =>
      (await Promise.all([first, second, third].map(segmentsOf))).flat().filter(unit => unit.state === 'working').length
    await expect.poll(working, patience).toBe(2)
    await new Promise(resolve => setTimeout(resolve, 3000))
    expect(await working()).toBe(2)
    expect([await stateOf(third), await unitsOf(db.em(), third)]).toEqual(['waiting', []])
    jobsHeld.letGo()
    await until(first, 'done')
  })
})

describe('a fault', () => {
  test('that kills everything loses the one segment under way', async () => {
    startWorker()
    jobsHeld.at('segment', 30)
    const id = await release()
    await untilDone(id, 2)
    const done = await doneOf(id)
    await endAll()
    jobsHeld.letGo()
    // One lane for the last segment, which is asked for still, and one for what was under way.
    startWorker(2)
    jobsHeld.at('segment', 45)
    await untilDone(id, done.length + 1)
    const runs = await unitsOf(db.em(), id)
    for (const unit of done) expect(runs.find(({ id }) => id === unit.id)).toMatchObject({ run: unit.run })
    jobsHeld.letGo()
    await expectDoneOnce(id)
  })

  test('that kills everything keeps the sound that is there', async () => {
    startWorker()
    jobsHeld.at('segment', 0)
    const id = await release()
    await expect.poll(async () => (await soundOf(id))?.state, patience).toBe('done')
    const { run } = (await soundOf(id))!
    await endAll()
    jobsHeld.letGo()
    startWorker()
    jobsHeld.at('segment', 45)
    await untilDone(id, 2)
    expect(await soundOf(id)).toMatchObject({ state: 'done', run })
    jobsHeld.letGo()
    await expectDoneOnce(id)
  })

  test('while sound is made makes it once more, beside the segments that are done', async () => {
    startWorker(2)
    jobsHeld.at('sound', 0)
    const id = await release()
    await untilDone(id, 4)
    await expect
      .poll(async () => (await readJob(db.em(), id)).progress?.segments, patience)
      .toEqual({
        ...{ done: 4, total: 4, awaitsSound: true, lanes: 1 },
      })
    const runs = (await doneOf(id)).map(unit => unit.run)
    await endAll()
    startWorker()
    await expect.poll(async () => (await soundOf(id))?.run, patience).toBe(2)
    expect((await doneOf(id)).map(unit => unit.run)).toEqual(runs)
    jobsHeld.letGo()
    await expectDoneOnce(id)
  })

  test('of a helping worker gives its segment to others', async () => {
    const first = startWorker()
    jobsHeld.at('segment', 0)
    const id = await release()
    await expect.poll(async () => (await segmentsOf(id)).length, patience).toBe(4)
    const owner = (await unitsOf(db.em(), id)).find(unit => unit.state === 'working')?.workerId
    const helper = startWorker()
    await expect
      .poll(
        async () => (await unitsOf(db.em(), id)).some(unit => unit.state === 'working' && unit.workerId !== owner),
        patience,
      )
      .toBe(true)
    await helper.end('SIGKILL')
    jobsHeld.letGo()
    await expectDoneOnce(id)
    expect(first.lives).toBe(true)
    expect((await readJob(db.em(), id)).attempt).toBe(1)
  })
})

describe('a worker that is lost', () => {
  test('while another makes the last of its segments leaves only the joining to it', async () => {
    const first = startWorker()
    jobsHeld.at('segment', 15)
    const id = await release()
    const workingAt = async () => (await segmentsOf(id)).find(unit => unit.state === 'working')
    await expect.poll(async () => (await workingAt())?.firstFrame, patience).toBe(15)
    await setLanes(db.em(), (await workingAt())!.workerId!, 0)
    // It hears of it with its next sign of life.
    await new Promise(resolve => setTimeout(resolve, 3000))
    jobsHeld.letGo()
    await untilDone(id, 2)
    jobsHeld.at('segment', 45)
    startWorker()
    await expect.poll(async () => (await workingAt())?.firstFrame, patience).toBe(45)
    await first.end('SIGKILL')
    jobsHeld.letGo()
    await expectDoneOnce(id)
    expect((await readJob(db.em(), id)).attempt).toBe(2)
  })
})

describe('segments that cannot be joined', () => {
  /** Has all but the last segment made, ends the worker, and lets somebody at the working files. */
  async function spoilt(spoil: (file: string) => Promise<void>): Promise<number> {
    startWorker()
    jobsHeld.at('segment', 45)
    const id = await release()
    await untilDone(id, 3)
    expect(await soundOf(id)).toMatchObject({ state: 'done' })
    await endAll()
    const name = (await hidden()).find(file => file.includes('-segment-2-'))!
    await spoil(path.join(await workDirectory(), name))
    jobsHeld.letGo()
    startWorker()
    return id
  }

  test('because working files are cut short, or gone: they are made again', async () => {
    const id = await spoilt(async file => {
      await truncate(file, (await stat(file)).size - 200)
      await rm(file.replace('-segment-2-', '-segment-1-'))
      const sound = (await hidden()).find(name => name.includes('-sound-'))!
      await rm(path.join(await workDirectory(), sound))
    })
    await expectDoneOnce(id)
    expect((await readJob(db.em(), id)).attempt).toBe(2)
  })

  test('because one begins at another picture: the job is made in one go, and says why', async () => {
    const id = await spoilt(async file => {
      const bytes = await readFile(file)
      const at = bytes.lastIndexOf('"before":[')
      // Other numbers of as many digits, so that the lengths stay true.
      const text = bytes
        .subarray(at)
        .toString('latin1')
        .replace(/"before":\[\d+,\d+/, found => found.replace(/\d/g, '9'))
      await writeFile(file, Buffer.concat([bytes.subarray(0, at), Buffer.from(text, 'latin1')]))
    })
    await until(id, 'done')
    expect((await readJob(db.em(), id)).making).toMatch(/^In one go. The picture comes out different at frame \d+/)
    await expect.poll(hidden, patience).toEqual([])
  })
})

describe('a person', () => {
  test('holds a job and lets it go on: its segments stay', async () => {
    startWorker()
    jobsHeld.at('segment', 30)
    const id = await release()
    await untilDone(id, 2)
    const isWorking = async () => (await unitsOf(db.em(), id)).some(unit => unit.state === 'working')
    await expect.poll(isWorking, patience).toBe(true)
    const done = (await doneOf(id)).map(unit => unit.id)
    await actOnJobs(db.em(), [id], 'hold')
    jobsHeld.letGo()
    await expect.poll(isWorking, patience).toBe(false)
    const before = (await doneOf(id)).length
    await new Promise(resolve => setTimeout(resolve, 1500))
    expect((await doneOf(id)).length).toBe(before)
    expect((await doneOf(id)).map(unit => unit.id)).toEqual(expect.arrayContaining(done))
    await actOnJobs(db.em(), [id], 'resume')
    await expectDoneOnce(id)
  })

  test('takes the lanes of a worker away: the segment under way is finished, and no other is begun', async () => {
    startWorker()
    jobsHeld.at('segment', 30)
    const id = await release()
    const working = async () => (await segmentsOf(id)).find(unit => unit.state === 'working')
    await expect.poll(async () => (await working())?.firstFrame, patience).toBe(30)
    const { workerId } = (await working())!
    await setLanes(db.em(), workerId!, 0)
    // It hears of it with its next sign of life.
    await new Promise(resolve => setTimeout(resolve, 3000))
    jobsHeld.letGo()
    await untilDone(id, 3)
    await new Promise(resolve => setTimeout(resolve, 3000))
    expect((await segmentsOf(id)).map(unit => unit.state)).toEqual(['done', 'done', 'done', 'waiting'])
    // With the last one under way it is given up once more: what was begun here is joined here all the same.
    jobsHeld.at('segment', 45)
    await setLanes(db.em(), workerId!, 1)
    await expect.poll(async () => (await working())?.firstFrame, patience).toBe(45)
    await setLanes(db.em(), workerId!, 0)
    jobsHeld.letGo()
    await expectDoneOnce(id)
  })

  test('sets hours in which jobs rest: the segment under way is paused, none is begun, and all goes on after', async () => {
    startWorker()
    jobsHeld.at('segment', 30)
    const id = await release()
    const working = async () => (await segmentsOf(id)).find(unit => unit.state === 'working')
    await expect.poll(async () => (await working())?.firstFrame, patience).toBe(30)
    await changeHours(db.em(), closedNow())
    await expect.poll(() => jobsHeld.paused, patience).toBe(true)
    jobsHeld.letGo()
    await new Promise(resolve => setTimeout(resolve, 3000))
    expect((await segmentsOf(id)).map(unit => unit.state)).toEqual(['done', 'done', 'working', 'waiting'])
    await changeHours(db.em(), anyTime)
    await expectDoneOnce(id)
    expect(new Set(await runsOf(id)).size).toBeLessThanOrEqual(1)
  })

  test('cancels a job: its working files go', async () => {
    startWorker()
    jobsHeld.at('segment', 30)
    const id = await release()
    await untilDone(id, 2)
    await actOnJobs(db.em(), [id], 'cancel')
    jobsHeld.letGo()
    await expect.poll(hidden, patience).toEqual([])
    expect(await stateOf(id)).toBe('cancelled')
  })

  test('puts another file in the place of the source: the job fails and says so', async () => {
    startWorker()
    jobsHeld.at('segment', 30)
    const id = await release()
    await untilDone(id, 2)
    await writeFile(path.join(volumes.source, 'tape.mkv'), 'another')
    jobsHeld.letGo()
    await until(id, 'failed')
    expect((await readJob(db.em(), id)).reason).toMatch(/source/)
    await expect.poll(hidden, patience).toEqual([])
  })
})
