import { createHash } from 'node:crypto'
import { beforeEach, describe, expect, test } from 'vitest'
import { newStep, type TrialMoment } from '@hematine/core'
import {
  askForTrials,
  assetBytes,
  beginTrial,
  draftJobs,
  findAsset,
  joinSources,
  keepAsset,
  keepTreatment,
  keepTrialFailure,
  keepTrialLooks,
  keepTrialMoment,
  knownTrials,
  listAssets,
  listJobs,
  listLots,
  listSources,
  listTreatments,
  listTrials,
  moveToLot,
  momentsOf,
  readJob,
  readSource,
  removeTrials,
  setMoments,
  takeTask,
  treatLots,
} from '../src/index.ts'
import { makeOrder, makeWorker, useDatabase } from '../../../tests/support/database.ts'

const db = useDatabase()
let orderId: number
let sourceIds: number[]
let lotId: number
let deliveryId: number

beforeEach(async () => {
  await db.fresh()
  const made = await makeOrder(db, ['one.mp4', 'two.mp4'])
  orderId = made.order.id
  deliveryId = made.delivery.id
  sourceIds = (await listSources(db.em(), { orderId })).map(source => source.id)
  lotId = await moveToLot(db.em(), sourceIds, null)
})

const denoise = newStep('denoise')
const sharpen = newStep('sharpen')
const result: TrialMoment = {
  frames: 50,
  seconds: 5,
  untilFirstFrame: 0.4,
  steps: [],
  bytes: 1000,
  ssim: 0.99,
  xpsnr: 40,
  before: { noise: null, detail: null, blocking: 1, wobble: null },
  after: { noise: null, detail: null, blocking: 1, wobble: null },
  devices: {},
}
const ask = (steps = [denoise]) =>
  askForTrials(db.em(), db.queue, sourceIds[0]!, 'playback-box', [{ label: 'try', steps }])

describe('joins', () => {
  test('are sources of their own, read in the background, whose parts stay', async () => {
    const joined = await joinSources(db.em(), db.queue, [sourceIds[1]!, sourceIds[0]!])
    expect(joined).toMatchObject({ kind: 'join', name: 'two.mp4 and 1 more', state: 'reading', orderId })
    expect((await joinSources(db.em(), db.queue, sourceIds)).name).toBe('one.mp4 and 1 more')
    expect((await joinSources(db.em(), db.queue, sourceIds)).name).toBe('one.mp4 and 1 more (2)')
    const row = (await readSource(db.em(), joined.id))!
    expect(row.joined!.map(part => [part.relativePath, part.seconds])).toEqual([
      ['two.mp4', 120],
      ['one.mp4', 120],
    ])
    expect((await listSources(db.em(), { orderId })).filter(source => source.kind === 'file')).toHaveLength(2)
  })

  test('of what is not ready, or a join itself, are refused with its name', async () => {
    const joined = await joinSources(db.em(), db.queue, sourceIds)
    await expect(joinSources(db.em(), db.queue, [sourceIds[0]!, joined.id])).rejects.toThrow(
      'one.mp4 and 1 more is not read yet',
    )
    await expect(joinSources(db.em(), db.queue, [sourceIds[0]!, 99_999])).rejects.toThrow('There is no source 99999')
  })
})

describe('assets', () => {
  const table = Buffer.from('LUT_1D_SIZE 2\n0 0 0\n1 1 1\n')

  test('are kept once under the hash of their bytes, and found by it', async () => {
    const kept = await keepAsset(db.em(), { name: 'Warm', kind: 'lookup table', about: 'curves of 2', data: table })
    expect(kept).toEqual({
      sha256: createHash('sha256').update(table).digest('hex'),
      name: 'Warm',
      kind: 'lookup table',
      about: 'curves of 2',
      bytes: 26,
    })
    expect(
      (await keepAsset(db.em(), { name: 'Another name', kind: 'lookup table', about: 'curves of 2', data: table }))
        .name,
    ).toBe('Warm')
    await keepAsset(db.em(), { name: 'badge', kind: 'picture', about: '4x4', data: Buffer.from('picture') })
    expect((await listAssets(db.em())).map(({ name, bytes }) => `${name} ${bytes}`)).toEqual(['badge 7', 'Warm 26'])
    expect((await findAsset(db.em(), kept.sha256))!.data).toEqual(table)
    expect(await assetBytes(db.em())(kept.sha256)).toEqual(table)
    expect(await findAsset(db.em(), '0'.repeat(64))).toBeNull()
  })

  test('kept at the same moment are one', async () => {
    const made = await Promise.all(
      ['a', 'b', 'c'].map(name =>
        keepAsset(db.em(), { name, kind: 'lookup table', about: 'curves of 2', data: table }),
      ),
    )
    expect(new Set(made.map(asset => asset.sha256)).size).toBe(1)
    expect(await listAssets(db.em())).toHaveLength(1)
  })
})

describe('treatments', () => {
  test('are kept in versions, in their working order; equal steps make no new one', async () => {
    const first = await keepTreatment(db.em(), 'Tape clean', [sharpen, denoise])
    expect(first).toMatchObject({ version: 1, steps: [denoise, sharpen] })
    expect((await keepTreatment(db.em(), 'Tape clean', [denoise, sharpen])).id).toBe(first.id)
    expect((await keepTreatment(db.em(), 'Tape clean', [denoise])).version).toBe(2)
    expect((await keepTreatment(db.em(), 'Other', [denoise])).version).toBe(1)
    expect((await listTreatments(db.em())).map(({ name, version }) => `${name} ${version}`)).toEqual([
      'Other 1',
      'Tape clean 2',
      'Tape clean 1',
    ])
    await expect(keepTreatment(db.em(), 'Twice', [denoise, denoise])).rejects.toThrow(
      'Denoise is there twice. Remove one of the two.',
    )
  })

  test('kept at the same moment get one version each', async () => {
    const made = await Promise.all(
      [denoise, sharpen, newStep('grain')].map(step => keepTreatment(db.em(), 'Race', [step])),
    )
    expect(made.map(treatment => treatment.version).sort()).toEqual([1, 2, 3])
  })

  test('are given to lots; jobs are drafted with them and drafts follow, what was released does not', async () => {
    const one = await keepTreatment(db.em(), 'Tape clean', [denoise])
    await treatLots(db.em(), [lotId], one.id)
    expect((await listLots(db.em(), orderId, [])).find(lot => lot.id === lotId)).toMatchObject({ treatmentId: one.id })
    expect((await listTreatments(db.em()))[0]!.lotCount).toBe(1)
    const wishes = sourceIds.map(sourceId => ({ sourceId, specKey: 'playback-box' }))
    const { jobs } = await draftJobs(db.em(), db.queue, wishes, deliveryId)
    expect(jobs.map(job => job.treatmentName)).toEqual(['Tape clean v1', 'Tape clean v1'])
    const two = await keepTreatment(db.em(), 'Tape clean', [denoise, sharpen])
    await treatLots(db.em(), [lotId], two.id)
    const again = await draftJobs(db.em(), db.queue, wishes.slice(0, 1), deliveryId)
    expect(again.jobs.map(({ id, treatmentName }) => [id, treatmentName])).toEqual([[jobs[0]!.id, 'Tape clean v2']])
    expect(
      (await readJob(db.em(), jobs[0]!.id)).treatment.steps.flatMap(step =>
        step.kind === 'chosen' ? [step.step.kind] : [],
      ),
    ).toEqual(['denoise', 'sharpen'])
    expect((await listJobs(db.em(), { ids: [jobs[1]!.id] }))[0]!.treatmentName).toBe('Tape clean v1')
    await treatLots(db.em(), [lotId], null)
    expect((await draftJobs(db.em(), db.queue, wishes.slice(0, 1), deliveryId)).jobs[0]!.treatmentName).toBeNull()
    await expect(treatLots(db.em(), [lotId, 9999], one.id)).rejects.toThrow('Some of these lots are gone.')
    // All or none.
    expect((await listLots(db.em(), orderId, [])).find(lot => lot.id === lotId)).toMatchObject({ treatmentId: null })
  })
})

describe('moments', () => {
  test('come from the measurement until a person sets them', async () => {
    expect(await momentsOf(db.em(), sourceIds[0]!)).toMatchObject({
      byHand: false,
      moments: [{ reason: 'typical' }, {}, {}],
    })
    await setMoments(db.em(), sourceIds[0]!, [
      { reason: 'by hand', from: 60, to: 62 },
      { reason: 'by hand', from: 4, to: 5 },
    ])
    expect(await momentsOf(db.em(), sourceIds[0]!)).toEqual({
      byHand: true,
      moments: [
        { reason: 'by hand', from: 4, to: 5 },
        { reason: 'by hand', from: 60, to: 62 },
      ],
    })
    await setMoments(db.em(), sourceIds[0]!, null)
    expect((await momentsOf(db.em(), sourceIds[0]!)).byHand).toBe(false)
    await expect(setMoments(db.em(), sourceIds[0]!, [{ reason: 'by hand', from: 130, to: 131 }])).rejects.toThrow(
      'does not lie in the source, which is 120.00 s long.',
    )
  })
})

describe('trials', () => {
  test('are queued with the moments of then, and kept moment by moment', async () => {
    const {
      trials: [trial],
    } = await ask()
    expect(trial).toMatchObject({ state: 'waiting', lotId, results: [null, null, null], looks: 0 })
    const worker = await makeWorker(db)
    expect((await takeTask(db.em(), db.queue, 'trial', worker.id))!.payload).toEqual({ trialId: trial!.id })
    expect((await beginTrial(db.em(), trial!.id))!.state).toBe('running')
    expect(await keepTrialLooks(db.em(), trial!.id, 2)).toBe(true)
    for (const index of [1, 0]) expect(await keepTrialMoment(db.em(), trial!.id, index, result)).toBe(true)
    expect((await listTrials(db.em(), { orderId }))[0]).toMatchObject({
      state: 'running',
      looks: 2,
      results: [{ frames: 50 }, { frames: 50 }, null],
    })
    await keepTrialMoment(db.em(), trial!.id, 2, result)
    expect((await listTrials(db.em(), { orderId }))[0]!.state).toBe('ready')
    // Handed out again after a lost worker, it is not run twice.
    expect(await beginTrial(db.em(), trial!.id)).toBeNull()
  })

  test('that cannot be done are refused with their label, others go on', async () => {
    const { trials, refused } = await askForTrials(db.em(), db.queue, sourceIds[0]!, 'playback-box', [
      { label: 'twice', steps: [denoise, denoise] },
      { label: 'once', steps: [denoise] },
    ])
    expect(trials.map(trial => trial.label)).toEqual(['once'])
    expect(refused).toEqual([{ label: 'twice', reason: 'Denoise is there twice. Remove one of the two.' }])
    await expect(askForTrials(db.em(), db.queue, sourceIds[0]!, 'nothing', [])).rejects.toThrow(
      'There is no delivery spec nothing.',
    )
  })

  test('of a picture that would be copied untouched are refused, since there is nothing to see', async () => {
    const { trials, refused } = await askForTrials(db.em(), db.queue, sourceIds[0]!, 'untouched-mkv', [
      { label: 'as it is', steps: [] },
      { label: 'cleaned', steps: [denoise] },
    ])
    expect(trials.map(trial => trial.label)).toEqual(['cleaned'])
    expect(refused).toEqual([
      {
        label: 'as it is',
        reason: 'Untouched MKV copies this picture untouched, so there is nothing to try. Try a step, or another spec.',
      },
    ])
  })

  test('that were removed are told to whoever runs them; failures keep their sentence', async () => {
    const {
      trials: [gone],
    } = await ask()
    const {
      trials: [bad],
    } = await ask()
    await removeTrials(db.em(), [gone!.id])
    expect(await keepTrialMoment(db.em(), gone!.id, 0, result)).toBe(false)
    expect(await keepTrialLooks(db.em(), gone!.id, 1)).toBe(false)
    expect(await beginTrial(db.em(), gone!.id)).toBeNull()
    await keepTrialFailure(db.em(), bad!.id, 'The disk is full.')
    expect((await listTrials(db.em(), { orderId }))[0]).toMatchObject({
      id: bad!.id,
      state: 'failed',
      reason: 'The disk is full.',
    })
    expect(await knownTrials(db.em(), [gone!.id, bad!.id])).toEqual(new Set([bad!.id]))
  })
})
