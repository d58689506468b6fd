import path from 'node:path'
import { askForComparison, draftJobs, listJobs, readComparison, stopComparison } from '@hematine/database'
import { afterEach, beforeAll, beforeEach, expect, test } from 'vitest'
import { useDatabase } from '../../../tests/support/database.ts'
import { writeCountingClip } from '../../../tests/support/material.ts'
import { patience } from '../../../tests/support/patience.ts'
import { KnownTape, newRound } from '../../../tests/support/rounds.ts'
import { scratchDirectory } from '../../../tests/support/scratch.ts'
import { TestWorker, useBuiltWorker } from '../../../tests/support/worker.ts'

/** Comparisons of treated frames by a real worker: one draft's with those of another spec for the same source, through kill -9, and stopped by hand. */
const db = useDatabase()
useBuiltWorker()
const scratch = scratchDirectory()
const clip = path.join(scratch, 'clip.mkv')
let round = 0
let known: KnownTape
let worker: TestWorker
let jobs: { jobId: number; referenceId: number }

beforeAll(async () => {
  await writeCountingClip(clip, 100, { size: '320x180', tone: false })
  known = await KnownTape.read(clip)
})
beforeEach(async () => {
  await db.fresh()
  const made = await newRound(db, scratch, ['P', ++round], known)
  const referenceId = await known.draft(db, made, 'open-web-mp4')
  const [{ sourceId } = { sourceId: 0 }] = await listJobs(db.em(), { ids: [referenceId] })
  const { jobs: drafted } = await draftJobs(db.em(), db.queue, [{ sourceId, specKey: 'small-mp4' }], made.deliveryId)
  jobs = { jobId: drafted[0]!.id, referenceId }
  worker = new TestWorker(db.url, path.join(scratch, 'data'), 'worker')
})
afterEach(() => worker.end('SIGKILL'))
const untilReady = () =>
  expect
    .poll(async () => {
      const { state, reason } = await readComparison(db.em(), jobs)
      return reason ?? state
    }, patience)
    .toBe('ready')

test('a comparison whose process is killed is made all the same', async () => {
  await askForComparison(db.em(), db.queue, jobs)
  await expect.poll(async () => (await readComparison(db.em(), jobs)).state, patience).toBe('measuring')
  for (const pid of worker.taskProcesses) process.kill(pid, 'SIGKILL')
  await untilReady()
  // Both specs leave this picture as it is.
  expect((await readComparison(db.em(), jobs)).likeness).toMatchObject({ frames: 100, identical: true })
})

test('one that is stopped ends, and can be asked for again', async () => {
  await askForComparison(db.em(), db.queue, jobs)
  await stopComparison(db.em(), jobs)
  expect((await readComparison(db.em(), jobs)).state).toBe('none')
  await askForComparison(db.em(), db.queue, jobs)
  await untilReady()
})
