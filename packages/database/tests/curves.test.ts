import { pictureSpecs, type CurveMeasurement } from '@hematine/core'
import { beforeEach, describe, expect, test } from 'vitest'
import {
  actOnJobs,
  askForCurve,
  askForLotCurves,
  beginCurve,
  beginSample,
  chooseLotQuality,
  chooseQuality,
  draftJobs,
  keepCurve,
  keepCurveFailure,
  keepCurvePart,
  keepMeasurement,
  keepSpec,
  knownCurves,
  listJobs,
  listOutlines,
  listSpecs,
  moveToLot,
  readCurve,
  readCurvePictures,
  readLotCurve,
  stopCurve,
} from '../src/index.ts'
import { makeOrder, useDatabase } from '../../../tests/support/database.ts'
import { sample as sampleOf, window } from '../../../tests/support/samples.ts'

const db = useDatabase()
let made: Awaited<ReturnType<typeof makeOrder>>
beforeEach(async () => {
  await db.fresh()
  made = await makeOrder(db, ['one.mp4', 'two.mp4'])
})

const draft = async (specKey: string, sourceIds = made.sourceIds) =>
  (
    await draftJobs(
      db.em(),
      db.queue,
      sourceIds.map(sourceId => ({ sourceId, specKey })),
      made.delivery.id,
    )
  ).jobs

const sampleIdOf = async (jobId: number) =>
  (await db.em().getConnection().execute<{ id: number }[]>('select sample_id as id from job where id = ?', [jobId]))[0]!
    .id

/** Has the forecast of a draft measured, as a worker would. */
async function forecast(jobId: number): Promise<void> {
  const id = await sampleIdOf(jobId)
  const row = (await beginSample(db.em(), id))!
  await keepMeasurement(db.em(), id, row.run, sampleOf([window({ quality: { xpsnr: 38, ssim: 0.97 } })]))
}

const curveTasks = async () =>
  db
    .em()
    .getConnection()
    .execute<{ curveId: number }[]>(
      `select (data ->> 'curveId')::int as "curveId" from task_queue.job where name = 'curve' and state = 'created' order by 1`,
    )

/** Two points: at 24 each frame takes a tenth of what it takes at 14. */
const measured: CurveMeasurement = {
  tookSeconds: 3,
  points: [
    { value: 14, windows: [window({ interBytes: 290_000, quality: { xpsnr: 45, ssim: 0.99 } })] },
    { value: 24, windows: [window({ interBytes: 29_000, quality: { xpsnr: 38, ssim: 0.97 } })] },
  ],
}

async function curve(jobId: number): Promise<void> {
  await forecast(jobId)
  await askForCurve(db.em(), db.queue, jobId)
  const row = (await beginCurve(db.em(), (await curveTasks()).at(-1)!.curveId))!
  await keepCurve(db.em(), row, measured)
}

describe('a curve of a draft', () => {
  test('is measured once it is asked for, in the stretches of its own forecast', async () => {
    const [one] = await draft('small-mp4')
    expect(await readCurve(db.em(), one!.id)).toMatchObject({ state: 'none', points: [], value: 24, codec: 'HEVC' })
    await expect(askForCurve(db.em(), db.queue, one!.id)).rejects.toThrow(/Measure it first/)
    await forecast(one!.id)
    expect(await askForCurve(db.em(), db.queue, one!.id)).toMatchObject({ state: 'waiting' })
    // Asked for twice, it is measured once.
    await askForCurve(db.em(), db.queue, one!.id)
    const tasks = await curveTasks()
    expect(tasks).toHaveLength(1)
    const row = (await beginCurve(db.em(), tasks[0]!.curveId))!
    expect(await keepCurvePart(db.em(), row, 0.5)).toBe(true)
    expect(await readCurve(db.em(), one!.id)).toMatchObject({ state: 'measuring', part: 0.5 })
    await keepCurve(db.em(), row, measured)
    const { points, ...known } = await readCurve(db.em(), one!.id)
    expect(known).toMatchObject({ state: 'ready', tookSeconds: 3, kneeValue: null, others: [] })
    expect(points.map(point => [point.value, point.xpsnr])).toEqual([
      [14, 45],
      [24, 38],
    ])
    expect(points[1]!.bytes).toEqual((await listJobs(db.em(), { ids: [one!.id] }))[0]!.forecast!.bytes)
  })

  test('that is stopped while it is measured is not kept, and can be asked for again', async () => {
    const [one] = await draft('small-mp4')
    await forecast(one!.id)
    await askForCurve(db.em(), db.queue, one!.id)
    const row = (await beginCurve(db.em(), (await curveTasks())[0]!.curveId))!
    expect(await stopCurve(db.em(), one!.id)).toMatchObject({ state: 'none' })
    expect(await keepCurvePart(db.em(), row, 0.7)).toBe(false)
    await keepCurve(db.em(), row, measured)
    expect(await readCurve(db.em(), one!.id)).toMatchObject({ state: 'none', points: [] })
    expect(await askForCurve(db.em(), db.queue, one!.id)).toMatchObject({ state: 'waiting' })
  })

  test('that could not be measured says why, and is tried again when it is asked for', async () => {
    const [one] = await draft('small-mp4')
    await forecast(one!.id)
    await askForCurve(db.em(), db.queue, one!.id)
    const row = (await beginCurve(db.em(), (await curveTasks())[0]!.curveId))!
    await keepCurveFailure(db.em(), row, 'The disk is full.')
    expect(await readCurve(db.em(), one!.id)).toMatchObject({ state: 'failed', reason: 'The disk is full.' })
    expect(await askForCurve(db.em(), db.queue, one!.id)).toMatchObject({ state: 'waiting', reason: null })
  })

  test('whose forecast went meanwhile says so, and is not measured', async () => {
    const [one] = await draft('small-mp4')
    await forecast(one!.id)
    await askForCurve(db.em(), db.queue, one!.id)
    await db.em().getConnection().execute(`update sample set measurement = null, state = 'later'`)
    expect(await beginCurve(db.em(), (await curveTasks())[0]!.curveId)).toBe(null)
    expect(await readCurve(db.em(), one!.id)).toMatchObject({
      state: 'failed',
      reason: expect.stringMatching(/^Its forecast is being/) as unknown,
    })
  })

  test("shows those of its source's other drafts beside it", async () => {
    const [box] = await draft('playback-box', [made.sourceIds[0]!])
    const [small] = await draft('small-mp4', [made.sourceIds[0]!])
    await curve(box!.id)
    await curve(small!.id)
    expect((await readCurve(db.em(), small!.id)).others).toMatchObject([
      { jobId: box!.id, specName: 'Playback box MP4', points: [{ value: 14 }, { value: 20 }, { value: 24 }] },
    ])
  })

  test('is that of a draft of the same source in the same codec, with the stretches of its own forecast', async () => {
    const [one] = await draft('small-mp4', [made.sourceIds[0]!])
    await curve(one!.id)
    const { jobs } = await chooseQuality(db.em(), db.queue, one!.id, { value: 20, of: 'draft' })
    await forecast(jobs[0]!.id)
    const { points, state, others } = await readCurve(db.em(), jobs[0]!.id)
    expect([state, points.map(point => point.value), others]).toEqual(['ready', [14, 20, 24], []])
    // It stands beside that of another codec, too.
    const [box] = await draft('playback-box', [made.sourceIds[0]!])
    expect((await readCurve(db.em(), box!.id)).others.map(other => other.jobId)).toEqual([jobs[0]!.id])
    // Nothing is measured twice.
    expect(await askForCurve(db.em(), db.queue, jobs[0]!.id)).toMatchObject({ state: 'ready' })
    expect(await curveTasks()).toHaveLength(1)
    // Unless it is wanted anew: then the draft gets one of its own, and that of the other stays.
    expect(await askForCurve(db.em(), db.queue, jobs[0]!.id, { anew: true })).toMatchObject({ state: 'waiting' })
    const row = (await beginCurve(db.em(), (await curveTasks()).at(-1)!.curveId))!
    await keepCurve(db.em(), row, measured)
    const own = await readCurve(db.em(), jobs[0]!.id)
    expect([own.state, own.points.map(point => point.value)]).toEqual(['ready', [14, 20, 24]])
  })

  test('is measured anew in its own place where it is wanted so', async () => {
    const [one] = await draft('small-mp4')
    await curve(one!.id)
    expect(await askForCurve(db.em(), db.queue, one!.id)).toMatchObject({ state: 'ready' })
    expect(await askForCurve(db.em(), db.queue, one!.id, { anew: true })).toMatchObject({ state: 'waiting' })
    const tasks = await curveTasks()
    expect(tasks.at(-1)!.curveId).toBe(tasks[0]!.curveId)
    await keepCurve(db.em(), (await beginCurve(db.em(), tasks[0]!.curveId))!, measured)
    expect((await readCurve(db.em(), one!.id)).state).toBe('ready')
  })

  test('stays as it was, with its pictures, where measuring it anew is stopped or fails', async () => {
    const [one] = await draft('small-mp4')
    await forecast(one!.id)
    const pictured = { ...measured, pictures: { seconds: 1, values: [14, 24] } }
    await askForCurve(db.em(), db.queue, one!.id)
    await keepCurve(db.em(), (await beginCurve(db.em(), (await curveTasks())[0]!.curveId))!, pictured)
    const before = await readCurve(db.em(), one!.id)
    expect(before.pictures).toMatchObject({ seconds: 1, values: [14, 24] })
    await askForCurve(db.em(), db.queue, one!.id, { anew: true })
    const row = (await beginCurve(db.em(), (await curveTasks()).at(-1)!.curveId))!
    expect(await knownCurves(db.em(), [row.id])).toEqual(new Map([[row.id, [1, 2]]]))
    expect(await stopCurve(db.em(), one!.id)).toEqual(before)
    // What was under way ends, and what it comes to is not kept.
    expect(await keepCurvePart(db.em(), row, 0.5)).toBe(false)
    await keepCurve(db.em(), row, measured)
    expect(await readCurve(db.em(), one!.id)).toEqual(before)
    await askForCurve(db.em(), db.queue, one!.id, { anew: true })
    const again = (await beginCurve(db.em(), row.id))!
    await keepCurveFailure(db.em(), again, 'The source is gone.')
    expect(await readCurve(db.em(), one!.id)).toEqual({ ...before, reason: 'The source is gone.' })
    expect(await readCurvePictures(db.em(), one!.id)).toMatchObject({ run: 1, values: [14, 24] })
  })

  test('is refused where size follows from the format', async () => {
    const [master] = await draft('archive-master')
    await expect(readCurve(db.em(), master!.id)).rejects.toThrow(/follows from its format/)
  })

  test('is refused for a picture that is copied untouched', async () => {
    const { key: _key, version: _version, ...box } = pictureSpecs.find(({ key }) => key === 'playback-box')!
    const video = { ...box.video, copied: 'in any codec' as const }
    const { spec } = await keepSpec(db.em(), { ...box, name: 'Rewrapped', video }, null)
    const [copied] = await draft(spec.key)
    await expect(readCurve(db.em(), copied!.id)).rejects.toThrow(/copies this picture untouched/)
  })
})

describe('a quality that is chosen', () => {
  test('becomes a spec of the library, and the draft is worked out anew by it', async () => {
    const [one, two] = await draft('small-mp4')
    const { jobs, refused } = await chooseQuality(db.em(), db.queue, one!.id, { value: 21.5, of: 'draft' })
    expect(refused).toEqual([])
    expect(jobs.map(job => [job.sourceId, job.specName, job.state])).toEqual([
      [one!.sourceId, 'Small MP4 at quality 21.5', 'draft'],
    ])
    const drafts = await listJobs(db.em(), { ids: [one!.id, two!.id] })
    expect(drafts.map(job => [job.id, job.specName])).toEqual([[two!.id, 'Small MP4']])
    const kept = (await listSpecs(db.em())).find(({ spec }) => spec.name === 'Small MP4 at quality 21.5')!
    expect([kept.isShipped, kept.spec.video?.rateControl]).toEqual([false, { kind: 'constant quality', value: 21.5 }])
  })

  test('takes a spec that is there: its own again, and back to the one it came from', async () => {
    const [one, two] = await draft('small-mp4')
    const first = await chooseQuality(db.em(), db.queue, one!.id, { value: 21.5, of: 'draft' })
    const second = await chooseQuality(db.em(), db.queue, two!.id, { value: 21.5, of: 'draft' })
    expect(second.jobs[0]!.specKey).toBe(first.jobs[0]!.specKey)
    const back = await chooseQuality(db.em(), db.queue, first.jobs[0]!.id, { value: 24, of: 'draft' })
    expect(back.jobs[0]!.specKey).toBe('small-mp4')
    expect((await listSpecs(db.em())).filter(({ isShipped }) => !isShipped)).toHaveLength(1)
  })

  test('is refused for what is no draft, and off the scale of the codec', async () => {
    const [one] = await draft('small-mp4')
    await expect(chooseQuality(db.em(), db.queue, one!.id, { value: 52, of: 'draft' })).rejects.toThrow(
      'HEVC holds qualities from 10 (best) to 40.',
    )
    await actOnJobs(db.em(), [one!.id], 'release')
    await expect(chooseQuality(db.em(), db.queue, one!.id, { value: 20, of: 'draft' })).rejects.toThrow(/only a draft/)
  })
})

describe('the curve of a lot', () => {
  /** Drafts of the lot with the spec of one of them, as a server knows them. */
  const outlinesLike = async (id: number) => {
    const [job] = await listJobs(db.em(), { ids: [id] })
    const like = (await listJobs(db.em(), { orderId: made.order.id })).filter(
      entry => entry.state === 'draft' && entry.specKey === job!.specKey,
    )
    return listOutlines(db.em(), { ids: like.map(entry => entry.id) })
  }
  const lotCurve = async (id: number) => readLotCurve(db.em(), id, await outlinesLike(id))
  const askLot = async (id: number) => askForLotCurves(db.em(), db.queue, id, await outlinesLike(id))

  /** Both sources in one lot. */
  async function drafted() {
    await moveToLot(db.em(), made.sourceIds, null)
    return draft('small-mp4')
  }

  test('is measured of items that stand for it, and told by level for all of its drafts with the spec', async () => {
    const [one] = await drafted()
    expect(await lotCurve(one!.id)).toMatchObject({ drafts: 2, measured: 0, open: 0, levels: [] })
    await expect(askLot(one!.id)).rejects.toThrow(/Measure drafts of it first/)
    await forecast(one!.id)
    expect(await askLot(one!.id)).toMatchObject({ underWay: 1, measured: 0, open: 0 })
    const row = (await beginCurve(db.em(), (await curveTasks()).at(-1)!.curveId))!
    await keepCurve(db.em(), row, measured)
    const lot = await lotCurve(one!.id)
    expect(lot).toMatchObject({ codec: 'HEVC', drafts: 2, measured: 1, underWay: 0, xpsnr: null })
    // Two sources of the same length: twice what the measured one takes, at every level between its points.
    const { points } = await readCurve(db.em(), one!.id)
    expect([lot.levels[0]!.xpsnr, lot.levels.at(-1)!.xpsnr]).toEqual([38, 45])
    expect(lot.levels[0]!.bytes.expected / points[1]!.bytes.expected).toBeCloseTo(2, 3)
    expect(lot.levels.at(-1)!.bytes.expected / points[0]!.bytes.expected).toBeCloseTo(2, 3)
  })

  test('follows the forecast of an item that has one of its own', async () => {
    const [one, two] = await drafted()
    await curve(one!.id)
    const id = await sampleIdOf(two!.id)
    const row = (await beginSample(db.em(), id))!
    const busy = sampleOf([window({ interBytes: 290_000, quality: { xpsnr: 38, ssim: 0.97 } })])
    await keepMeasurement(db.em(), id, row.run, busy)
    const [first, second] = await listJobs(db.em(), { ids: [one!.id, two!.id] })
    const [level] = (await lotCurve(one!.id)).levels
    expect(level!.xpsnr).toBe(38)
    expect(level!.bytes.expected).toBeCloseTo(first!.forecast!.bytes.expected + second!.forecast!.bytes.expected, -1)
    expect(second!.forecast!.bytes.expected / first!.forecast!.bytes.expected).toBeGreaterThan(3)
  })

  test('gives every draft of the lot the same quality to aim at, in a spec of the library that is taken again', async () => {
    const [one, two] = await drafted()
    const { jobs, refused } = await chooseLotQuality(db.em(), db.queue, one!.id, { xpsnr: 41.5 })
    expect(refused).toEqual([])
    expect(jobs.map(job => [job.sourceId, job.specName]).sort()).toEqual(
      [
        [one!.sourceId, 'Small MP4 at 41.5 dB'],
        [two!.sourceId, 'Small MP4 at 41.5 dB'],
      ].sort(),
    )
    expect(await listJobs(db.em(), { ids: [one!.id, two!.id] })).toEqual([])
    expect((await lotCurve(jobs[0]!.id)).xpsnr).toBe(41.5)
    // Asked for once more, nothing changes; another level is called after the spec that it came from.
    expect((await chooseLotQuality(db.em(), db.queue, jobs[0]!.id, { xpsnr: 41.5 })).jobs).toEqual([])
    const other = await chooseLotQuality(db.em(), db.queue, jobs[0]!.id, { xpsnr: 40 })
    expect(new Set(other.jobs.map(job => job.specName))).toEqual(new Set(['Small MP4 at 40 dB']))
  })

  test('is refused where a codec cannot aim at a quality, and for what is no draft', async () => {
    const { key: _key, version: _version, ...box } = pictureSpecs.find(({ key }) => key === 'playback-box')!
    const mpeg2 = {
      ...box.video,
      codec: 'mpeg2video',
      profile: 'main',
      level: null,
      effort: null,
      rateControl: { kind: 'constant quality' as const, value: 3 },
    }
    const { spec } = await keepSpec(db.em(), { ...box, name: 'Disc', video: mpeg2 }, null)
    const [disc] = await draft(spec.key)
    await expect(chooseLotQuality(db.em(), db.queue, disc!.id, { xpsnr: 40 })).rejects.toThrow(
      'MPEG-2 cannot aim at a measured quality',
    )
    const [one] = await draft('small-mp4')
    await actOnJobs(db.em(), [one!.id], 'release')
    await expect(chooseLotQuality(db.em(), db.queue, one!.id, { xpsnr: 40 })).rejects.toThrow(/only a draft/)
  })
})
