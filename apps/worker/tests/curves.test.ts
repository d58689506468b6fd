import { readdir } from 'node:fs/promises'
import path from 'node:path'
import {
  actOnJobs,
  askForCurve,
  listJobs,
  measureJobAgain,
  readCurve,
  readCurvePictures,
  stopCurve,
} from '@hematine/database'
import { curveDirectory, curvePicture } from '@hematine/media/volumes/volume-files'
import { afterEach, beforeAll, beforeEach, expect, test } from 'vitest'
import { useDatabase } from '../../../tests/support/database.ts'
import { writeCountingClip } from '../../../tests/support/material.ts'
import { patience } from '../../../tests/support/patience.ts'
import { KnownTape, newRound, type Round } from '../../../tests/support/rounds.ts'
import { scratchDirectory } from '../../../tests/support/scratch.ts'
import { TestWorker, useBuiltWorker } from '../../../tests/support/worker.ts'

/** Curves of drafts by a real worker: through kill -9, stopped by hand, and paused for what must have the machine alone. */

const db = useDatabase()
useBuiltWorker()
const scratch = scratchDirectory()
const clip = path.join(scratch, 'clip.mkv')
const data = path.join(scratch, 'data')
let round = 0
let known: KnownTape
let made: Round
let worker: TestWorker
let draftId: number

beforeAll(async () => {
  await writeCountingClip(clip, 100, { size: '320x180', tone: false })
  known = await KnownTape.read(clip)
})
beforeEach(async () => {
  await db.fresh()
  made = await newRound(db, scratch, ['C', ++round], known)
  draftId = await known.draft(db, made, 'open-web-mp4')
  worker = new TestWorker(db.url, data, 'worker')
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
  expect(path.relative(made.volumes.delivery, await curveDirectory(volume, { id, run }))).not.toMatch(/^\.\./)
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
