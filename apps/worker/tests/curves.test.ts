import { copyFile, mkdir, readdir } from 'node:fs/promises'
import path from 'node:path'
import {
  actOnJobs,
  askForCurve,
  beginScan,
  createOrder,
  draftJobs,
  listJobs,
  listSources,
  measureJobAgain,
  readCurve,
  readCurvePictures,
  registerVolume,
  stopCurve,
} from '@hematine/database'
import { curveDirectory, curvePicture } from '@hematine/media/volumes/volume-files'
import { afterEach, beforeAll, beforeEach, expect, test } from 'vitest'
import { useDatabase } from '../../../tests/support/database.ts'
import { writeCountingClip } from '../../../tests/support/material.ts'
import { scratchDirectory } from '../../../tests/support/scratch.ts'
import { TestWorker, useBuiltWorker } from '../../../tests/support/worker.ts'

/** Curves of drafts by a real worker: through kill -9, stopped by hand, and paused for what must have the machine alone. */

const db = useDatabase()
useBuiltWorker()
const scratch = scratchDirectory()
const clip = path.join(scratch, 'clip.mkv')
const data = path.join(scratch, 'data')
const patience = { timeout: 120_000, interval: 50 }
let round = 0
let root: string
let worker: TestWorker
let draftId: number

beforeAll(() => writeCountingClip(clip, 100, { size: '320x180', tone: false }))
beforeEach(async () => {
  await db.fresh()
  root = path.join(scratch, `volumes-${++round}`)
  const [source, delivery] = await Promise.all(
    (['source', 'delivery'] as const).map(async role => {
      await mkdir(path.join(root, role), { recursive: true })
      return registerVolume(db.em(), { name: role, role, path: path.join(root, role) })
    }),
  )
  await copyFile(clip, path.join(root, 'source', 'clip.mkv'))
  const { id: orderId } = await createOrder(db.em(), { code: 'T', name: 'Curves', dueAt: null })
  worker = new TestWorker(db.url, data, 'worker')
  await beginScan(db.em(), db.queue, { orderId, volumeId: source!.id, path: '', frameRate: { num: 25, den: 1 } })
  await expect
    .poll(async () => (await listSources(db.em(), { orderId })).map(entry => entry.measureState), patience)
    .toEqual(['ready'])
  const sourceId = (await listSources(db.em(), { orderId }))[0]!.id
  const { jobs } = await draftJobs(db.em(), db.queue, [{ sourceId, specKey: 'open-web-mp4' }], delivery!.id)
  draftId = jobs[0]!.id
  await untilForecast()
  await askForCurve(db.em(), db.queue, draftId)
  await expect.poll(async () => (await curve()).part ?? 0, patience).toBeGreaterThan(0)
})
afterEach(() => worker.end('SIGKILL'))

const curve = () => readCurve(db.em(), draftId)
const draft = async () => (await listJobs(db.em(), { ids: [draftId] }))[0]!
/** Waits for the forecast; one that failed says why. */
const untilForecast = () =>
  expect
    .poll(async () => {
      const { sampleState, sampleReason } = await draft()
      return sampleReason ?? sampleState
    }, patience)
    .toBe('ready')
/** Waits for the curve; one that failed says why. */
const untilReady = () =>
  expect
    .poll(async () => {
      const { state, reason } = await curve()
      return reason ?? state
    }, patience)
    .toBe('ready')

test('a curve whose process is killed is measured all the same, and leaves nothing behind', async () => {
  for (const pid of worker.taskProcesses) process.kill(pid, 'SIGKILL')
  await untilReady()
  const { points, value } = await curve()
  expect(points.length).toBeGreaterThanOrEqual(5)
  expect(points.find(point => point.value === value)!.bytes).toEqual((await draft()).forecast!.bytes)
  expect(await readdir(path.join(data, 'scratch'))).toEqual([])
})

test('its frame is kept at every quality in the volume of the draft, until the draft is gone', async () => {
  await untilReady()
  const { pictures, points } = await curve()
  expect(pictures!.values).toEqual(points.map(point => point.value))
  const { id, run, values, volume } = await readCurvePictures(db.em(), draftId)
  expect(path.relative(path.join(root, 'delivery'), await curveDirectory(volume, { id, run }))).not.toMatch(/^\.\./)
  const names = await readdir(await curveDirectory(volume, { id, run }))
  expect(names.sort()).toEqual([curvePicture(null), ...values.map(curvePicture)].sort())
  await actOnJobs(db.em(), [draftId], 'remove')
  await db.em().getConnection().execute('delete from sample')
  await worker.end()
  worker = new TestWorker(db.url, data, 'worker')
  const kept = path.dirname(await curveDirectory(volume, { id, run }))
  await expect.poll(async () => readdir(kept), patience).toEqual([])
})

test('one that is stopped ends its process, and can be asked for again', async () => {
  await stopCurve(db.em(), draftId)
  expect((await curve()).state).toBe('none')
  await expect.poll(() => worker.taskProcesses, patience).toEqual([])
  await askForCurve(db.em(), db.queue, draftId)
  await untilReady()
})

test('a forecast does not wait for its end: it is paused, and goes on after', async () => {
  await measureJobAgain(db.em(), db.queue, draftId)
  await untilForecast()
  expect((await curve()).state).toBe('measuring')
  await untilReady()
})
