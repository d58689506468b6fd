import { createHash } from 'node:crypto'
import { link, mkdir, readdir, readFile, rm, writeFile } from 'node:fs/promises'
import path from 'node:path'
import { actOnJobs, beginPlacing, dispatchJobs, draftJobs, readJob, startJob, takeTask } from '@hematine/database'
import { beforeEach, describe, expect, test } from 'vitest'
import { workDirectory } from '@hematine/media/volumes/volume-files'
import { placeResult } from '../src/placing.ts'
import { makeOrder, makeWorker, useDatabase } from '../../../tests/support/database.ts'
import { scratchDirectory } from '../../../tests/support/scratch.ts'

/** A stop between any two steps of placing leaves one of these states; each must end the same way. */

const db = useDatabase()
const scratch = scratchDirectory()
const content = 'a whole film'
let round = 0
let delivery: string
let temporary: string
let jobId: number

beforeEach(async () => {
  await db.fresh()
  const root = path.join(scratch, `round-${++round}`)
  delivery = path.join(root, 'delivery')
  await mkdir(delivery, { recursive: true })
  const made = await makeOrder(db, ['tape.mov'], { source: path.join(root, 'sources'), delivery })
  temporary = path.join(await workDirectory(made.delivery), 'job-1-1.mp4')
  const { jobs } = await draftJobs(
    db.em(),
    db.queue,
    [{ sourceId: made.sourceIds[0]!, specKey: 'playback-box' }],
    made.delivery.id,
  )
  jobId = jobs[0]!.id
  await actOnJobs(db.em(), [jobId], 'release')
  await dispatchJobs(db.em(), db.queue, 1)
  const worker = await makeWorker(db)
  const task = (await takeTask(db.em(), db.queue, 'job', worker.id))!
  const job = (await startJob(db.em(), jobId, task.payload.attempt, worker))!
  const sha256 = createHash('sha256').update(content).digest('hex')
  await beginPlacing(db.em(), jobId, job.attempt, worker.id, {
    check: { verdict: 'pass', lines: [], measurement: { sha256, bytes: content.length } } as never,
    temporaryPath: 'job-1-1.mp4',
    outputPath: 'tape-box.mp4',
    workSeconds: 1,
  })
})

const visible = async () => (await readdir(delivery)).filter(name => !name.startsWith('.')).sort()

async function expectPlaced(name = 'tape-box.mp4'): Promise<void> {
  await placeResult(db.em(), jobId)
  expect(await readJob(db.em(), jobId)).toMatchObject({ state: 'done', outputPath: name })
  expect(await readFile(path.join(delivery, name), 'utf8')).toBe(content)
  expect(await readdir(path.dirname(temporary))).toEqual([])
}

describe('placing', () => {
  test('moves the finished file to its name', async () => {
    await writeFile(temporary, content)
    await expectPlaced()
    expect(await visible()).toEqual(['tape-box.mp4'])
  })

  test('goes on after a stop between the two names', async () => {
    await writeFile(temporary, content)
    await link(temporary, path.join(delivery, 'tape-box.mp4'))
    await expectPlaced()
  })

  test('goes on after a stop just before the job was said to be done', async () => {
    await writeFile(path.join(delivery, 'tape-box.mp4'), content)
    await expectPlaced()
  })

  test('takes another name when the first was taken meanwhile', async () => {
    await writeFile(temporary, content)
    await writeFile(path.join(delivery, 'tape-box.mp4'), "somebody else's")
    await expectPlaced('tape-box-2.mp4')
    expect(await readFile(path.join(delivery, 'tape-box.mp4'), 'utf8')).toBe("somebody else's")
  })

  test('does not take another file of that name for its own', async () => {
    await rm(temporary, { force: true })
    await writeFile(path.join(delivery, 'tape-box.mp4'), "somebody else's")
    await placeResult(db.em(), jobId)
    expect(await readJob(db.em(), jobId)).toMatchObject({
      state: 'failed',
      reason: 'The finished file vanished from the delivery volume before it got its place. Try again.',
    })
  })

  test('done twice changes nothing', async () => {
    await writeFile(temporary, content)
    await expectPlaced()
    await placeResult(db.em(), jobId)
    expect((await readJob(db.em(), jobId)).events.filter(event => event.event === 'finish')).toHaveLength(1)
  })
})
