import { createHash } from 'node:crypto'
import { link, mkdir, readdir, readFile, rename, rm, writeFile } from 'node:fs/promises'
import path from 'node:path'
import { filesBesideOf, type CheckMeasurement } from '@hematine/core'
import {
  actOnJobs,
  beginPlacing,
  checksumsOf,
  dispatchJobs,
  draftJobs,
  readJob,
  readJobWithFiles,
  startJob,
  takeTask,
} from '@hematine/database'
import { beforeEach, describe, expect, test } from 'vitest'
import { workDirectory } from '@hematine/media/volumes/volume-files'
import { findFinished, leaveNote, workFingerprint } from '../src/finished.ts'
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
let orderId: number

beforeEach(async () => {
  await db.fresh()
  const root = path.join(scratch, `round-${++round}`)
  delivery = path.join(root, 'delivery')
  await mkdir(delivery, { recursive: true })
  const made = await makeOrder(db, ['tape.mov'], { source: path.join(root, 'sources'), delivery })
  orderId = made.order.id
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
  await beginPlacing(db.em(), jobId, job.attempt, worker.id, {
    check: { verdict: 'pass', lines: [], measurement: { sha256: sumOf(content), bytes: content.length } } as never,
    temporaryPath: 'job-1-1.mp4',
    outputPath: 'tape-box.mp4',
    workSeconds: 1,
  })
})

const sumOf = (text: string) => createHash('sha256').update(text).digest('hex')

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

describe('placing what lies beside a result', () => {
  const words = { '.en.srt': 'words', '.nl.idx': 'index', '.nl.sub': 'pictures', '.sheet.jpg': 'sheet' }
  const waiting = (added: string) => path.join(`${temporary}.beside`, `result${added}`)
  const place = (added: string, stem = 'tape-box') => path.join(delivery, `${stem}${added}`)

  beforeEach(async () => {
    const files = Object.entries(words).map(([added, text]) => ({ added, bytes: text.length, sha256: sumOf(text) }))
    const [sheet, ...others] = files.reverse()
    const besides = { subtitleFiles: [{ files: others.reverse() }], sheet: { file: sheet } }
    const measurement = { sha256: sumOf(content), bytes: content.length, ...besides }
    await db
      .em()
      .getConnection()
      .execute(`update job set "check" = ?::jsonb where id = ?`, [
        JSON.stringify({ verdict: 'pass', lines: [], measurement }),
        jobId,
      ])
    await writeFile(temporary, content)
    await mkdir(`${temporary}.beside`)
    for (const [added, text] of Object.entries(words)) await writeFile(waiting(added), text)
  })

  async function expectAll(stem = 'tape-box'): Promise<void> {
    await expectPlaced(`${stem}.mp4`)
    for (const [added, text] of Object.entries(words)) expect(await readFile(place(added, stem), 'utf8')).toBe(text)
    const { beside } = await readJob(db.em(), jobId)
    expect(beside.map(file => file.path)).toEqual(Object.keys(words).map(added => `${stem}${added}`))
    expect(await checksumsOf(db.em(), orderId)).toEqual([
      { path: `${stem}.mp4`, sha256: sumOf(content) },
      ...Object.entries(words).map(([added, text]) => ({ path: `${stem}${added}`, sha256: sumOf(text) })),
    ])
  }

  test('gives it the name of the result, and its sums', async () => {
    await expectAll()
    expect(await visible()).toEqual([
      'tape-box.en.srt',
      'tape-box.mp4',
      'tape-box.nl.idx',
      'tape-box.nl.sub',
      'tape-box.sheet.jpg',
    ])
  })

  test('takes another name for all of it when one is taken', async () => {
    await writeFile(place('.nl.sub'), "somebody else's")
    await expectAll('tape-box-2')
    expect(await visible()).toEqual(
      ['.en.srt', '.mp4', '.nl.idx', '.nl.sub', '.sheet.jpg']
        .map(added => `tape-box-2${added}`)
        .concat('tape-box.nl.sub'),
    )
    expect(await readFile(place('.nl.sub'), 'utf8')).toBe("somebody else's")
  })

  test.each([0, 1, 2, 3, 4])('goes on after a stop behind %i of its files', async count => {
    for (const added of Object.keys(words).slice(0, count)) await rename(waiting(added), place(added))
    await expectAll()
  })

  test('goes on after a stop at which another took the name of the result', async () => {
    await rename(waiting('.en.srt'), place('.en.srt'))
    await writeFile(place('.mp4'), "somebody else's")
    await expectAll('tape-box-2')
    expect(await visible()).not.toContain('tape-box.en.srt')
  })

  test('goes on after a stop just before the job was said to be done', async () => {
    for (const added of Object.keys(words)) await rename(waiting(added), place(added))
    await rename(temporary, place('.mp4'))
    await expectAll()
  })

  test('fails, and keeps no half, where one of them vanished', async () => {
    await rename(waiting('.en.srt'), place('.en.srt'))
    await rm(waiting('.nl.idx'))
    await placeResult(db.em(), jobId)
    expect(await readJob(db.em(), jobId)).toMatchObject({ state: 'failed', beside: [] })
    expect(await visible()).toEqual([])
    expect(await readdir(path.dirname(temporary))).toEqual([])
  })

  test('a result that is in its place stays there, though one of them was taken away since', async () => {
    await rename(temporary, place('.mp4'))
    await rm(waiting('.nl.idx'))
    await placeResult(db.em(), jobId)
    expect(await readJob(db.em(), jobId)).toMatchObject({ state: 'done' })
    expect(await readFile(place('.mp4'), 'utf8')).toBe(content)
  })

  test('a finished result whose files are not whole is made again', async () => {
    const job = await readJobWithFiles(db.em(), jobId)
    const directory = path.dirname(temporary)
    const file = `job-${jobId}-7.mp4`
    await rename(temporary, path.join(directory, file))
    await rename(`${temporary}.beside`, path.join(directory, `${file}.beside`))
    const said = { codec: 'subrip', count: 1, sourceCount: 1, different: 0, furthest: 0 }
    const measurement: CheckMeasurement = {
      ...{ container: 'MP4', bytes: content.length, sourceBytes: 100, sha256: sumOf(content), sourceDecodeErrors: 0 },
      ...{ audio: [], video: null, likeness: [] },
      subtitleFiles: [{ ...said, files: filesBesideOf(job.check!.measurement) }],
    }
    await leaveNote(directory, { jobId, work: workFingerprint(job), file, measurement, workSeconds: 1 })
    expect(await findFinished(directory, job)).toMatchObject({ file })
    await writeFile(path.join(directory, `${file}.beside`, 'result.en.srt'), 'other words')
    expect(await findFinished(directory, job)).toBeNull()
  })
})
