import { type hardwareCodecs, pictureSpecs, standInDevices, withEncoder, type SpecDraft } from '@hematine/core'
import { beforeEach, describe, expect, test } from 'vitest'
import {
  actOnJobs,
  areOthersQuiet,
  dispatchJobs,
  doOthersMeasure,
  draftJobs,
  endMeasuringTurn,
  endTasks,
  keepFound,
  keepSpec,
  listJobs,
  listOutlines,
  listWorkers,
  machineOf,
  reportWorker,
  retireWorker,
  sayQuiet,
  setFault,
  startJob,
  takeMeasuringTurn,
  takeTask,
  type WorkerIdentity,
} from '../src/index.ts'
import { makeOrder, makeWorker, useDatabase } from '../../../tests/support/database.ts'

const db = useDatabase()
let made: Awaited<ReturnType<typeof makeOrder>>
const plain = pictureSpecs.find(spec => spec.key === 'web-mp4')!
let byDevice: string
const found = { devices: [standInDevices[0]!], missing: [] }

beforeEach(async () => {
  await db.fresh()
  made = await makeOrder(db, ['one.mp4', 'two.mp4', 'three.mp4'])
  const { key: _key, version: _version, ...draft } = plain
  const spec = { ...draft, name: 'By a device', video: withEncoder(draft.video, 'hardware') }
  byDevice = (await keepSpec(db.em(), spec as SpecDraft, null)).spec.key
})

/** Releases the first source for the processor and the others for a device, and in that order. */
async function released(): Promise<number[]> {
  const wishes = made.sourceIds.map((sourceId, place) => ({ sourceId, specKey: place === 0 ? plain.key : byDevice }))
  const ids = (await draftJobs(db.em(), db.queue, wishes, made.delivery.id)).jobs.map(({ id }) => id)
  await actOnJobs(db.em(), ids, 'release')
  return ids
}
const codec = plain.video.codec as (typeof hardwareCodecs)[number]

describe('work that needs a graphics device', () => {
  test('is handed out only to who has one, and what any worker does only to who takes that', async () => {
    const ids = await released()
    const worker = await makeWorker(db)
    // Nobody who takes nothing is handed anything.
    expect(await dispatchJobs(db.em(), db.queue, 5, worker, [])).toBe(0)
    expect(await dispatchJobs(db.em(), db.queue, 5, worker, [null])).toBe(1)
    expect((await takeTask(db.em(), db.queue, 'job', worker.id))!.payload.jobId).toBe(ids[0])
    expect(await takeTask(db.em(), db.queue, 'job', worker.id)).toBeNull()
    // One at a time: who takes it may have no session left.
    const gpu = await makeWorker(db, { found, devicesOnly: true, lanes: 2 })
    expect(await dispatchJobs(db.em(), db.queue, 2, gpu, [codec])).toBe(1)
    expect(await takeTask(db.em(), db.queue, 'job', worker.id)).toBeNull()
    const task = (await takeTask(db.em(), db.queue, 'job', gpu.id, [codec]))!
    expect(task.payload).toMatchObject({ jobId: ids[1], need: codec })
    expect(await startJob(db.em(), task.payload.jobId, task.payload.attempt, gpu)).toMatchObject({ id: ids[1] })
    await endTasks(db.em(), db.queue, [task])
    expect(await dispatchJobs(db.em(), db.queue, 2, gpu, [codec])).toBe(1)
  })

  test('does not stand in the way of what waits for others', async () => {
    const ids = await released()
    const gpu = await makeWorker(db, { found, devicesOnly: true })
    expect(await dispatchJobs(db.em(), db.queue, 1, gpu, [codec])).toBe(1)
    // It is queued, and the lane that cannot take it is filled all the same.
    const worker = await makeWorker(db)
    expect(await dispatchJobs(db.em(), db.queue, 1, worker, [null])).toBe(1)
    expect((await takeTask(db.em(), db.queue, 'job', worker.id))!.payload.jobId).toBe(ids[0])
  })

  test('is measured by who has the device, and waits again when that is lost', async () => {
    await released()
    const worker = await makeWorker(db)
    const gpu = await makeWorker(db, { found, devicesOnly: true })
    const taken = async (who: WorkerIdentity, needs: Parameters<typeof takeTask>[4]) =>
      (await takeTask(db.em(), db.queue, 'sample', who.id, needs))?.payload
    expect(await db.queue.waitingKinds(db.em(), [codec])).toContain('sample')
    expect(await taken(worker, [null])).toEqual({ sampleId: expect.any(Number) as number })
    expect(await taken(worker, [null])).toBeUndefined()
    const mine = await taken(gpu, [codec])
    expect(mine).toMatchObject({ need: codec })
    await retireWorker(db.em(), db.queue, gpu.id, 'its device is gone')
    const next = await makeWorker(db, { found, devicesOnly: true })
    const again = [await taken(next, [codec]), await taken(next, [codec])]
    expect(again).toContainEqual(mine)
  })

  test('is told to the plan, and so are lanes by what they take', async () => {
    const ids = await released()
    const needs = new Map((await listOutlines(db.em(), { ids })).map(job => [job.id, job.need]))
    expect(ids.map(id => needs.get(id))).toEqual([null, codec, codec])
    const worker = await makeWorker(db, { lanes: 2 })
    expect(await machineOf(db.em())).not.toHaveProperty('groups')
    const gpu = await makeWorker(db, { name: 'Stand-in GPU A', found, devicesOnly: true, lanes: 1 })
    expect(await machineOf(db.em())).toMatchObject({
      lanes: 3,
      groups: [
        { name: null, takes: [null] },
        { name: null, takes: [null] },
        { name: 'Stand-in GPU A', takes: ['h264', 'hevc', 'av1'] },
      ],
    })
    // A device that does not work takes nothing, and is told so with the next sign of life.
    await reportWorker(db.em(), gpu.id, { 'stand-in-a': 'It was lost.' })
    expect((await machineOf(db.em())).groups!.at(-1)!.takes).toEqual([])
    expect((await listWorkers(db.em())).find(({ id }) => id === gpu.id)!.troubles).toEqual({
      'stand-in-a': 'It was lost.',
    })
    // One that is found on a machine makes as many of its lanes able as it has sessions.
    await keepFound(db.em(), worker.id, { devices: [{ ...standInDevices[0]!, sessions: 1 }], missing: [] })
    expect((await machineOf(db.em())).groups!.slice(0, 2).map(({ takes }) => takes)).toEqual([
      ['h264', 'hevc', 'av1', null],
      [null],
    ])
  })

  test('is none where the picture is copied', async () => {
    const { key: _key, version: _version, ...draft } = plain
    const video = { ...withEncoder(draft.video, 'hardware'), copied: 'in any codec' as const }
    const copies = (await keepSpec(db.em(), { ...draft, name: 'Copies', video } as SpecDraft, null)).spec.key
    const { jobs } = await draftJobs(
      db.em(),
      db.queue,
      [{ sourceId: made.sourceIds[0]!, specKey: copies }],
      made.delivery.id,
    )
    const ids = jobs.map(({ id }) => id)
    await actOnJobs(db.em(), ids, 'release')
    expect((await listOutlines(db.em(), { ids })).map(({ need, traits }) => [need, traits.isCopied])).toEqual([
      [null, true],
    ])
    const worker = await makeWorker(db)
    expect(await dispatchJobs(db.em(), db.queue, 1, worker, [codec])).toBe(0)
    expect(await dispatchJobs(db.em(), db.queue, 1, worker, [null])).toBe(1)
    expect((await takeTask(db.em(), db.queue, 'job', worker.id))!.payload).not.toHaveProperty('need')
  })

  test('can be made to go wrong on a stand-in, and on nothing else', async () => {
    const gpu = await makeWorker(db, { found, devicesOnly: true })
    expect(await setFault(db.em(), gpu.id, 'lost')).toMatchObject({ fault: 'lost' })
    expect(await reportWorker(db.em(), gpu.id)).toEqual({ lanes: 1, fault: 'lost' })
    expect(await setFault(db.em(), gpu.id, null)).toMatchObject({ fault: null })
    const worker = await makeWorker(db)
    await expect(setFault(db.em(), worker.id, 'lost')).rejects.toThrow(/Only a stand-in GPU/)
    await expect(setFault(db.em(), crypto.randomUUID(), 'lost')).rejects.toThrow(/no longer there/)
  })
})

describe('turns to measure on a machine', () => {
  test("are one worker's at a time, and nobody else's machine is concerned", async () => {
    const [one, two] = [await makeWorker(db), await makeWorker(db)]
    const elsewhere = await makeWorker(db, { host: 'there' })
    expect(await takeMeasuringTurn(db.em(), 'here', one.id)).toBe(true)
    expect(await takeMeasuringTurn(db.em(), 'here', two.id)).toBe(false)
    expect(await takeMeasuringTurn(db.em(), 'there', elsewhere.id)).toBe(true)
    expect(await doOthersMeasure(db.em(), 'here', two.id)).toBe(true)
    expect(await doOthersMeasure(db.em(), 'here', one.id)).toBe(false)
    expect(await areOthersQuiet(db.em(), 'here', one.id)).toBe(false)
    await sayQuiet(db.em(), two.id, true)
    expect(await areOthersQuiet(db.em(), 'here', one.id)).toBe(true)
    await endMeasuringTurn(db.em(), one.id, 1)
    expect(await doOthersMeasure(db.em(), 'here', two.id)).toBe(false)
    expect(await takeMeasuringTurn(db.em(), 'here', two.id)).toBe(true)
  })

  test('of a worker that is gone are free', async () => {
    const [gone, here] = [await makeWorker(db), await makeWorker(db)]
    await takeMeasuringTurn(db.em(), 'here', gone.id)
    await retireWorker(db.em(), db.queue, gone.id, 'lost')
    expect(await doOthersMeasure(db.em(), 'here', here.id)).toBe(false)
    expect(await areOthersQuiet(db.em(), 'here', here.id)).toBe(true)
    expect(await takeMeasuringTurn(db.em(), 'here', here.id)).toBe(true)
  })

  test('leave jobs of the machine a turn as long as the last one, where any runs', async () => {
    const [ids, worker, other] = [await released(), await makeWorker(db), await makeWorker(db)]
    await takeMeasuringTurn(db.em(), 'here', worker.id)
    await endMeasuringTurn(db.em(), worker.id, 3600)
    expect(await takeMeasuringTurn(db.em(), 'here', other.id)).toBe(true)
    await endMeasuringTurn(db.em(), other.id, 3600)
    await dispatchJobs(db.em(), db.queue, 1, worker)
    const { payload } = (await takeTask(db.em(), db.queue, 'job', worker.id))!
    await startJob(db.em(), payload.jobId, payload.attempt, worker)
    expect(await takeMeasuringTurn(db.em(), 'here', other.id)).toBe(false)
    await actOnJobs(db.em(), ids, 'cancel')
    expect(await takeMeasuringTurn(db.em(), 'here', other.id)).toBe(true)
    expect((await listJobs(db.em(), { ids })).length).toBe(3)
  })
})
