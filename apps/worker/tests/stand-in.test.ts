import path from 'node:path'
import { pictureSpecs, standInDevices, withEncoder, type SpecDraft, type StandInFault } from '@hematine/core'
import { actOnJobs, keepSpec, listJobs, listWorkers, readJob, setFault } from '@hematine/database'
import { setUpLibraries, useDevices } from '@hematine/media'
import { standInFault } from '@hematine/media/ground/stand-in-faults'
import { afterAll, afterEach, beforeAll, beforeEach, describe, expect, test } from 'vitest'
import { Devices } from '../src/devices.ts'
import { useDatabase } from '../../../tests/support/database.ts'
import { writeCountingClip } from '../../../tests/support/material.ts'
import { patience } from '../../../tests/support/patience.ts'
import { KnownTape, newRound, untilState } from '../../../tests/support/rounds.ts'
import { scratchDirectory } from '../../../tests/support/scratch.ts'
import { jobsHeld, TestWorker, useBuiltWorker } from '../../../tests/support/worker.ts'

/** Jobs for a graphics device go to who has one, and what befalls it costs no job. */

const db = useDatabase({ own: true })
useBuiltWorker()
const scratch = scratchDirectory()
const tape = path.join(scratch, 'tape.mkv')
const frames = 60
let known: KnownTape
let round = 0
let orderId: number
let sourceId: number
let deliveryId: number
let byDevice: string
const workers: TestWorker[] = []

beforeAll(async () => {
  setUpLibraries()
  await writeCountingClip(tape, frames, { size: '160x120', tone: true })
  known = await KnownTape.read(tape)
  // Drafts are measured in this process.
  useDevices([standInDevices[0]!], path.join(scratch, 'here'))
})
beforeEach(async () => {
  ;({ orderId, sourceId, deliveryId } = await newRound(db, scratch, ['G', ++round], known))
  const { key: _key, version: _version, ...draft } = pictureSpecs.find(spec => spec.key === 'web-mp4')!
  const spec = { ...draft, name: `By a device ${round}`, video: withEncoder(draft.video, 'hardware') }
  byDevice = (await keepSpec(db.em(), spec as SpecDraft, null)).spec.key
})
const endAll = () => Promise.all(workers.splice(0).map(worker => worker.end()))
afterEach(async () => {
  jobsHeld.letGo()
  await endAll()
  const jobs = await listJobs(db.em(), { orderId })
  await actOnJobs(
    db.em(),
    jobs.map(job => job.id),
    'cancel',
  )
})
afterAll(endAll)

function start(settings: Record<string, string> = {}): TestWorker {
  const name = `worker ${round}.${workers.length + 1}`
  const worker = new TestWorker(db.url, path.join(scratch, 'data'), name, settings)
  workers.push(worker)
  return worker
}
const gpu = () => start({ HEMATINE_DEVICE: 'stand-in-a' })
const standIn = async () => (await listWorkers(db.em())).find(({ devicesOnly }) => devicesOnly)
async function suffer(fault: StandInFault | null): Promise<void> {
  await expect.poll(standIn, patience).toBeDefined()
  await setFault(db.em(), (await standIn())!.id, fault)
  // Its processes hear of it from their worker.
  await expect.poll(() => standInFault(path.join(scratch, 'data', 'stand-in'), 'stand-in-a'), patience).toBe(fault)
}
async function release(specKey = byDevice): Promise<number> {
  const id = await known.draft(db, { sourceId, deliveryId }, specKey)
  await actOnJobs(db.em(), [id], 'release')
  return id
}
const until = (id: number, state: Parameters<typeof untilState>[2]) => untilState(db, id, state)

describe('a job for a graphics device', () => {
  test('waits beside others until there is one, and is made by it', async () => {
    start()
    const id = await release()
    const other = await release('archive-master')
    await until(other, 'done')
    expect((await listJobs(db.em(), { ids: [id] }))[0]!.state).toBe('waiting')
    gpu()
    await until(id, 'done')
    const job = await readJob(db.em(), id)
    expect(job.worker).toBe('Stand-in GPU A')
    expect(job.check!.measurement).toMatchObject({ encodedBy: 'Stand-in GPU A' })
    // Its worker takes nothing else.
    expect((await readJob(db.em(), other)).worker).toMatch(/^worker/)
  })

  test('waits while its device is lost, and is made when that answers again', async () => {
    gpu()
    jobsHeld.at('encode', 20)
    const id = await release()
    await until(id, 'running')
    await suffer('lost')
    jobsHeld.letGo()
    // Whether it is before its first frame or after some.
    const told = async () => (await standIn())?.troubles['stand-in-a']
    await expect.poll(told, patience).toMatch(/does not answer|was lost while it encoded/)
    await until(id, 'waiting')
    await suffer(null)
    await expect.poll(async () => (await standIn())?.troubles, patience).toEqual({})
    await until(id, 'done')
  })

  test('that comes out wrong fails its check, and nothing is delivered', async () => {
    gpu()
    await suffer('wrong output')
    const id = await release()
    await until(id, 'failed')
    const job = await readJob(db.em(), id)
    expect(job.outputPath).toBeNull()
    expect(job.reason).toMatch(/frame/)
  })
})

describe('the devices of a worker', () => {
  const [a] = standInDevices
  const real = { ...a!, key: 'nvenc-0', kind: 'graphics device' as const, sessions: 1 }
  const directory = path.join(scratch, 'devices')
  const devices = (found = [real], isOnly = false, find = async () => ({ devices: [real], missing: [] })) =>
    new Devices({ devices: found, missing: [] }, isOnly, directory, find)

  test('are needed by as many tasks at a time as they have sessions', () => {
    const own = devices()
    expect(own.needsOf('job')).toEqual(['h264', 'hevc', 'av1', null])
    const given = own.take('hevc')
    expect(own.needsOf('job')).toEqual([null])
    expect(() => own.take('h264')).toThrow(/No session/)
    own.giveBack(given, 'job')
    expect(devices([real], true).needsOf('job')).toEqual(['h264', 'hevc', 'av1'])
  })

  test('are left to jobs after a measurement, once', () => {
    const own = devices()
    own.giveBack(own.take('h264'), 'measurement')
    expect(own.needsOf('measurement')).toEqual([null])
    expect(own.needsOf('job')).toContain('h264')
    expect(own.letMeasure()).toBe(true)
    expect(own.letMeasure()).toBe(false)
    expect(own.needsOf('measurement')).toContain('h264')
  })

  test('take nothing while they have a trouble, which is told once, and again when it is over', async () => {
    const own = devices()
    own.note(real.key, 'It was lost.')
    expect(own.needsOf('job')).toEqual([null])
    expect(own.changedTroubles()).toEqual({ 'nvenc-0': 'It was lost.' })
    expect(own.changedTroubles()).toBeUndefined()
    // Not at once: what was lost this moment is not there the next.
    await own.lookAgain()
    expect(own.needsOf('job')).toEqual([null])
  })
})
