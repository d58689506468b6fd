import { beforeEach, describe, expect, test } from 'vitest'
import {
  actOnJobs,
  addLike,
  announcedGround,
  askForComparison,
  beginComparison,
  beginSample,
  draftJobs,
  keepComparison,
  keepComparisonFailure,
  keepComparisonPart,
  keepMeasurement,
  listInventory,
  planInventory,
  readComparison,
  renderTestsOf,
  stopComparison,
} from '../src/index.ts'
import { onlyNamed, type TreatedLikeness } from '@hematine/core'
import { makeOrder, useDatabase } from '../../../tests/support/database.ts'
import { sample as sampleOf, window } from '../../../tests/support/samples.ts'

/** Comparisons of the treated frames of two drafts, and what is planned to be done like one of them. */
const db = useDatabase()
let made: Awaited<ReturnType<typeof makeOrder>>
let jobs: { jobId: number; referenceId: number }
beforeEach(async () => {
  await db.fresh()
  made = await makeOrder(db, ['half.mp4', 'whole.mp4'])
  const [half, whole] = (
    await draftJobs(
      db.em(),
      db.queue,
      made.sourceIds.map(sourceId => ({ sourceId, specKey: 'small-mp4' })),
      made.delivery.id,
    )
  ).jobs
  jobs = { jobId: half!.id, referenceId: whole!.id }
})
const sql = <Row>(text: string, values: unknown[] = []) => db.em().getConnection().execute<Row[]>(text, values)
const tasks = async () =>
  (
    await sql<{ id: number }>(
      `select (data ->> 'comparisonId')::int as id from task_queue.job where name = 'compare' and state = 'created' order by 1`,
    )
  ).map(({ id }) => id)
const begin = async () => (await beginComparison(db.em(), (await tasks()).at(-1)!))!
const likeness: TreatedLikeness = {
  ...{ frames: 48, identical: false, ssim: 0.98, xpsnr: 36.5 },
  worst: { xpsnr: 31, seconds: 1.5 },
}

describe('a comparison', () => {
  test('is made once it is asked for, and kept', async () => {
    expect(await readComparison(db.em(), jobs)).toEqual({ state: 'none', part: null, reason: null, likeness: null })
    expect(await askForComparison(db.em(), db.queue, jobs)).toMatchObject({ state: 'waiting' })
    // Asked for twice, it is made once.
    await askForComparison(db.em(), db.queue, jobs)
    expect(await tasks()).toHaveLength(1)
    const row = await begin()
    expect(await keepComparisonPart(db.em(), row, 0.25)).toBe(true)
    expect(await readComparison(db.em(), jobs)).toMatchObject({ state: 'measuring', part: 0.25 })
    await keepComparison(db.em(), row, likeness)
    expect(await askForComparison(db.em(), db.queue, jobs)).toEqual({
      state: 'ready',
      part: null,
      reason: null,
      likeness,
    })
    expect(await beginComparison(db.em(), row.id)).toBeNull()
    // The other way round it is another one.
    const { jobId, referenceId } = jobs
    expect(await readComparison(db.em(), { jobId: referenceId, referenceId: jobId })).toMatchObject({ state: 'none' })
  })

  test('that is stopped while it is made is not kept, and can be asked for again', async () => {
    await askForComparison(db.em(), db.queue, jobs)
    const row = await begin()
    expect(await stopComparison(db.em(), jobs)).toMatchObject({ state: 'none' })
    expect(await keepComparisonPart(db.em(), row, 0.5)).toBe(false)
    await keepComparison(db.em(), row, likeness)
    expect(await askForComparison(db.em(), db.queue, jobs)).toMatchObject({ state: 'waiting', likeness: null })
  })

  test('begun again elsewhere is kept by whom it was begun last, and one that failed says why and is tried again', async () => {
    await askForComparison(db.em(), db.queue, jobs)
    const first = await begin()
    const second = (await beginComparison(db.em(), first.id))!
    await keepComparison(db.em(), first, likeness)
    expect(await readComparison(db.em(), jobs)).toMatchObject({ state: 'measuring' })
    await keepComparisonFailure(db.em(), second, 'No frame of both could be decoded.')
    expect(await readComparison(db.em(), jobs)).toMatchObject({
      state: 'failed',
      reason: 'No frame of both could be decoded.',
    })
    expect(await askForComparison(db.em(), db.queue, jobs)).toMatchObject({ state: 'waiting', reason: null })
  })

  test('of frames that differ in size is refused with what would help', async () => {
    await sql(
      `update sample set treatment = jsonb_set(treatment, '{result,frame,width}', '960') where id = (select sample_id from job where id = ?)`,
      [jobs.jobId],
    )
    await expect(askForComparison(db.em(), db.queue, jobs)).rejects.toMatchObject({
      status: 409,
      message: expect.stringMatching(/Give the smaller one a step that enlarges it/),
    })
    expect(await tasks()).toEqual([])
  })

  test('of a job that is gone is none', async () => {
    await actOnJobs(db.em(), [jobs.jobId], 'remove')
    await expect(askForComparison(db.em(), db.queue, jobs)).rejects.toMatchObject({ status: 404 })
  })
})

describe('what is planned to be done like a draft', () => {
  const measure = async (jobId: number) => {
    const [{ id }] = (await sql<{ id: number }>('select sample_id as id from job where id = ?', [jobId])) as [
      { id: number },
    ]
    const row = (await beginSample(db.em(), id))!
    await keepMeasurement(db.em(), id, row.run, sampleOf([window()]))
    return id
  }
  const shots = ['Shot 01', 'Shot 02'].map(name => ({ ...onlyNamed(name), seconds: 10, framesPerSecond: 24 }))

  test('is told by its measurement, and by its spec alone again when a person plans it so', async () => {
    const sampleId = await measure(jobs.jobId)
    const orderId = made.order.id
    expect(await addLike(db.em(), orderId, shots, { sampleId, specKey: 'small-mp4' })).toEqual({
      added: 2,
      alreadyThere: 0,
    })
    expect(await listInventory(db.em(), orderId)).toMatchObject([
      { specKey: 'small-mp4', likeName: 'half.mp4' },
      { specKey: 'small-mp4', likeName: 'half.mp4' },
    ])
    const { items, likes } = await announcedGround(db.em())
    expect(items.map(({ likeId }) => likeId)).toEqual([sampleId, sampleId])
    expect(likes.get(sampleId)!.measurement).toEqual(sampleOf([window()]))
    expect(likes.get(sampleId)!.sourceFrames).toBeGreaterThan(0)
    const ids = (await listInventory(db.em(), orderId)).map(({ id }) => id)
    await planInventory(db.em(), ids, 'small-mp4')
    expect((await announcedGround(db.em())).items.map(({ likeId }) => likeId)).toEqual([null, null])
  })

  test('leaves what was announced before as it was', async () => {
    const sampleId = await measure(jobs.jobId)
    const orderId = made.order.id
    await addLike(db.em(), orderId, [shots[0]!], { sampleId, specKey: 'small-mp4' })
    await planInventory(db.em(), [(await listInventory(db.em(), orderId))[0]!.id], null)
    expect(await addLike(db.em(), orderId, shots, { sampleId, specKey: 'small-mp4' })).toEqual({
      added: 1,
      alreadyThere: 1,
    })
    expect((await listInventory(db.em(), orderId)).map(({ specKey }) => specKey)).toEqual([null, 'small-mp4'])
  })

  test('can be any measured job with a picture that is not cancelled', async () => {
    expect(await renderTestsOf(db.em(), { orderId: made.order.id })).toEqual([])
    await measure(jobs.jobId)
    const [test, ...others] = await renderTestsOf(db.em(), { orderId: made.order.id })
    expect(others).toEqual([])
    expect(test).toMatchObject({
      jobId: jobs.jobId,
      sourceName: 'half.mp4',
      specKey: 'small-mp4',
      sourceBytes: expect.any(Number),
    })
    await actOnJobs(db.em(), [jobs.jobId], 'cancel')
    expect(await renderTestsOf(db.em(), { orderId: made.order.id })).toEqual([])
  })
})
