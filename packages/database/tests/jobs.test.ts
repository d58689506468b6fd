import { beforeEach, describe, expect, test } from 'vitest'
import {
  actOnJobs,
  adoptPlacing,
  askToMeasure,
  askForUnits,
  beginMeasuring,
  beginPlacing,
  beginUnit,
  changeHours,
  continueJob,
  dispatchJobs,
  draftJobIds,
  draftJobs,
  endTasks,
  failJob,
  finishJob,
  finishUnit,
  giveBackUnknown,
  holdingsOf,
  hoursOf,
  keepFacts,
  keepProgress,
  keepRefusal,
  keepSourceMeasurement,
  keepSpec,
  keepUnits,
  listEvents,
  listJobs,
  listOutlines,
  listSources,
  loseJob,
  moveJobs,
  orderJobs,
  Problem,
  readJob,
  registerVolume,
  removeSource,
  retireWorker,
  setLanes,
  startJob,
  takeTask,
  unitsOf,
  type WorkerIdentity,
} from '../src/index.ts'
import { anyTime, measuringVersion, pictureSpecs, type Measurement, type SpecPieces } from '@hematine/core'
import { facts } from '../../core/tests/examples.ts'
import { closedNow, inSeconds } from '../../../tests/support/closed-hours.ts'
import { makeOrder, makeWorker, useDatabase } from '../../../tests/support/database.ts'

const db = useDatabase()
let made: Awaited<ReturnType<typeof makeOrder>>
beforeEach(async () => {
  await db.fresh()
  made = await makeOrder(db, ['one.mp4', 'two.mp4', 'three.mp4'])
})

async function drafted(): Promise<number[]> {
  return (
    await draftJobs(
      db.em(),
      db.queue,
      made.sourceIds.map(sourceId => ({ sourceId, specKey: 'playback-box' })),
      made.delivery.id,
    )
  ).jobs.map(job => job.id)
}
async function released(): Promise<number[]> {
  const ids = await drafted()
  await actOnJobs(db.em(), ids, 'release')
  return ids
}
const states = async () => (await listJobs(db.em(), { orderId: made.order.id })).map(job => [job.sourceName, job.state])

/** Hands the next job to a worker, as the worker does it. */
async function begin(worker: WorkerIdentity) {
  await dispatchJobs(db.em(), db.queue, 1)
  const task = (await takeTask(db.em(), db.queue, 'job', worker.id))!
  return { task, job: (await startJob(db.em(), task.payload.jobId, task.payload.attempt, worker))! }
}
const check = { verdict: 'pass', lines: [], measurement: { sha256: 'x', bytes: 1 } } as never

describe('drafts', () => {
  test('are made once for a source and spec, in order, and ask for one measurement each', async () => {
    const ids = await drafted()
    expect(await drafted()).toEqual(ids)
    expect(await states()).toEqual([
      ['one.mp4', 'draft'],
      ['two.mp4', 'draft'],
      ['three.mp4', 'draft'],
    ])
    const worker = await makeWorker(db)
    const taken = []
    for (
      let task = await takeTask(db.em(), db.queue, 'sample', worker.id);
      task;
      task = await takeTask(db.em(), db.queue, 'sample', worker.id)
    )
      taken.push(task.payload.sampleId)
    expect(taken).toEqual([1, 2, 3])
  })

  test('that cannot be made are refused with a sentence and the others go on', async () => {
    await keepRefusal(db.em(), made.sourceIds[1]!, 'The file is empty.')
    const answer = await draftJobs(
      db.em(),
      db.queue,
      [
        ...made.sourceIds.map(sourceId => ({ sourceId, specKey: 'small-mp4' })),
        { sourceId: 99, specKey: 'small-mp4' },
        { sourceId: made.sourceIds[0]!, specKey: 'nothing' },
      ],
      made.delivery.id,
    )
    expect(answer.jobs.map(job => job.sourceName)).toEqual(['one.mp4', 'three.mp4'])
    expect(answer.refused.map(entry => entry.reason)).toEqual([
      'two.mp4 cannot be used: The file is empty.',
      'There is no source 99.',
      'There is no delivery spec nothing.',
    ])
  })

  test('made again go where they are asked to go now, from the source as it was last read; release refuses what was read anew since', async () => {
    const [id] = await drafted()
    await keepFacts(db.em(), db.queue, made.sourceIds[0]!, facts(), 'changed')
    const elsewhere = await registerVolume(db.em(), { name: 'Elsewhere', role: 'delivery', path: '/made-up/elsewhere' })
    expect(await actOnJobs(db.em(), [id!], 'release')).toEqual([
      {
        id,
        done: false,
        reason: `one.mp4 was read anew since job ${id} was drafted. Draft it again, then release it.`,
      },
    ])
    await draftJobs(db.em(), db.queue, [{ sourceId: made.sourceIds[0]!, specKey: 'playback-box' }], elsewhere.id)
    expect(await readJob(db.em(), id!)).toMatchObject({ deliveryVolumeId: elsewhere.id })
    expect(await actOnJobs(db.em(), [id!], 'release')).toEqual([{ id, done: true, reason: null }])
  })

  test('keep the facts that they were drafted by, whatever is read of the source later', async () => {
    const [id] = await released()
    await keepFacts(db.em(), db.queue, made.sourceIds[0]!, { ...facts(), durationSeconds: 1 }, 'changed')
    const { job } = await begin(await makeWorker(db))
    expect(job).toMatchObject({ id, identity: 'identity', facts: { durationSeconds: facts().durationSeconds } })
  })

  test('do not go into a source volume', async () => {
    await expect(draftJobs(db.em(), db.queue, [], made.source.id)).rejects.toThrow(
      'Sources is a source volume. Choose a delivery volume for the results.',
    )
  })

  test('can be removed, and then their source too; a released job keeps its source', async () => {
    const ids = await drafted()
    await actOnJobs(db.em(), [ids[0]!], 'release')
    expect(await actOnJobs(db.em(), ids, 'remove')).toEqual([
      { id: ids[0], done: false, reason: `Job ${ids[0]} is waiting and cannot be removed.` },
      { id: ids[1], done: true, reason: null },
      { id: ids[2], done: true, reason: null },
    ])
    await removeSource(db.em(), made.sourceIds[1]!)
    await expect(removeSource(db.em(), made.sourceIds[0]!)).rejects.toThrow(Problem)
    expect((await listSources(db.em(), { orderId: made.order.id })).map(source => source.name)).toEqual([
      'one.mp4',
      'three.mp4',
    ])
  })
})

/** Of a source that nothing was seen of. */
const emptyPicture = {
  ...{ width: 1920, height: 1080, framesPerSecond: 25, windows: [], whole: false, marks: [] },
  times: { packetsRead: 0, regular: 0, short: 0, long: 0, longAt: [], endSeconds: null },
}

describe('drafts of a source that is cut in pieces', () => {
  beforeEach(() => db.fresh())
  const inPieces = async (name: string, pieces: SpecPieces) => {
    const { key: _key, version: _version, ...box } = pictureSpecs[0]!
    return (await keepSpec(db.em(), { ...box, name, pieces }, null)).spec.key
  }

  test('are one for each piece, with names of their own, and ask for few measurements', async () => {
    const made = await makeOrder(db, ['tape.mp4', 'reel.mp4'])
    const specKey = await inPieces('Minutes', { at: 'length', seconds: 50 })
    const wishes = made.sourceIds.map(sourceId => ({ sourceId, specKey }))
    const { jobs } = await draftJobs(db.em(), db.queue, wishes, made.delivery.id)
    expect(jobs.map(job => [job.sourceName, job.plannedPath, job.frames])).toEqual(
      ['tape', 'reel'].flatMap(name =>
        [1250, 1250, 500].map((frames, index) => [
          `${name}.mp4, piece ${index + 1} of 3`,
          `${name}-box-0${index + 1}.mp4`,
          frames,
        ]),
      ),
    )
    expect((await listOutlines(db.em(), { ids: [jobs[1]!.id] }))[0]!.sourceName).toBe('tape.mp4, piece 2 of 3')
    // Pieces are alike: three stand for all.
    const asked = jobs.filter(job => job.sampleState === 'waiting' || job.sampleState === 'measuring')
    expect(asked.length).toBeLessThanOrEqual(3)
  })

  test('are refused, and none is drafted, where there would be too many of all sources together', async () => {
    const made = await makeOrder(db, ['tape.mp4', 'reel.mp4'])
    const specKey = await inPieces('Minutes', { at: 'length', seconds: 30 })
    const wishes = made.sourceIds.map(sourceId => ({ sourceId, specKey }))
    await expect(draftJobIds(db.em(), db.queue, wishes, made.delivery.id, { most: 7 })).rejects.toThrow(
      /too many jobs at once, so nothing was drafted/,
    )
    expect(await listJobs(db.em(), { orderId: made.order.id })).toEqual([])
    expect((await draftJobIds(db.em(), db.queue, wishes, made.delivery.id, { most: 8 })).ids).toHaveLength(8)
  })

  test('where it cuts wait until it was looked through, and are drafted then', async () => {
    const made = await makeOrder(db, ['tape.mp4'])
    const [sourceId] = made.sourceIds
    const specKey = await inPieces('Shots', { at: 'cuts', leastSeconds: 5 })
    const draft = () => draftJobs(db.em(), db.queue, [{ sourceId: sourceId!, specKey }], made.delivery.id)
    const measured = async (cuts?: number[]) => {
      const begun = (await beginMeasuring(db.em(), sourceId!))!
      const picture = { ...emptyPicture, ...(cuts ? { cuts } : {}) }
      const measurement: Measurement = {
        version: measuringVersion,
        depth: 'sampled',
        tookSeconds: 1,
        picture,
        sound: [],
      }
      await keepSourceMeasurement(db.em(), begun, measurement, begun.facts!, [])
    }
    const worker = await makeWorker(db)
    const asked = async () => (await takeTask(db.em(), db.queue, 'measure', worker.id))?.payload
    expect(await asked()).toEqual({ sourceId, depth: 'sampled' })
    const refused = [
      { reason: 'Where tape.mp4 cuts is not known yet. It is being measured: draft it once more when that is done.' },
    ]
    // A measurement is under way already: there is one at a time.
    expect(await draft()).toMatchObject({ jobs: [], refused })
    expect(await asked()).toBeUndefined()
    // Samples tell nothing of the rest, so it is looked through.
    await measured()
    expect(await draft()).toMatchObject({ jobs: [], refused })
    expect(await asked()).toEqual({ sourceId, depth: 'sampled', through: true })
    await measured([2, 31.2, 90])
    const { jobs } = await draft()
    // 2 s are too short for a piece of their own. The source has 3000 frames at 25 a second.
    expect(jobs.map(job => job.frames)).toEqual([780, 1470, 750])
    // What is measured anew may cut elsewhere, and is looked through once more.
    await askToMeasure(db.em(), db.queue, [sourceId!], 'deep')
    expect(await draft()).toMatchObject({ jobs: [], refused })
    expect(await asked()).toEqual({ sourceId, depth: 'deep', through: true })
  })

  test('are drafted again in their places, and those that are no longer cut go', async () => {
    const made = await makeOrder(db, ['tape.mp4'])
    const [sourceId] = made.sourceIds
    const specKey = await inPieces('Minutes', { at: 'length', seconds: 30 })
    const draft = async (key: string) =>
      (await draftJobs(db.em(), db.queue, [{ sourceId: sourceId!, specKey: key }], made.delivery.id)).jobs
    const first = await draft(specKey)
    expect(first).toHaveLength(4)
    expect((await draft(specKey)).map(job => job.id)).toEqual(first.map(job => job.id))
    // One that is released is a draft no longer: its piece is drafted once more.
    await actOnJobs(db.em(), [first[0]!.id], 'release')
    const again = await draft(specKey)
    expect(again.map(job => job.id).slice(0, 3)).toEqual(first.slice(1).map(job => job.id))
    expect(again[3]).toMatchObject({ sourceName: 'tape.mp4, piece 1 of 4', isNameTaken: true })
    const { key: _key, version: _version, ...box } = pictureSpecs[0]!
    await keepSpec(db.em(), { ...box, name: 'Minutes', pieces: { at: 'length', seconds: 60 } }, specKey)
    const fewer = await draft(specKey)
    expect(fewer.map(job => job.sourceName).sort()).toEqual(['tape.mp4, piece 1 of 2', 'tape.mp4, piece 2 of 2'])
    await keepSpec(db.em(), { ...box, name: 'Minutes' }, specKey)
    const [whole, ...others] = await draft(specKey)
    expect(others).toEqual([])
    expect(whole!.sourceName).toBe('tape.mp4')
    const left = (await listJobs(db.em(), { orderId: made.order.id })).filter(job => job.state === 'draft')
    expect(left.map(job => job.id)).toEqual([whole!.id])
    // Another spec's drafts stay.
    const other = await draft('small-mkv')
    await draft(specKey)
    expect((await readJob(db.em(), other[0]!.id)).state).toBe('draft')
  })
})

describe('order', () => {
  test('is the order of release, and changes by moves', async () => {
    const [one, two, three] = (await released()) as [number, number, number]
    await moveJobs(db.em(), [three], one)
    expect((await states()).map(([name]) => name)).toEqual(['three.mp4', 'one.mp4', 'two.mp4'])
    await moveJobs(db.em(), [three, one], null)
    expect((await states()).map(([name]) => name)).toEqual(['two.mp4', 'three.mp4', 'one.mp4'])
    await expect(moveJobs(db.em(), [two], 4711)).rejects.toThrow('There is no job 4711')
  })

  test("is what is asked for among those that wait: they take each other's places, and no other job moves", async () => {
    const [one, two, three] = (await released()) as [number, number, number]
    await actOnJobs(db.em(), [two], 'hold')
    const positions = async () =>
      new Map((await listJobs(db.em(), { orderId: made.order.id })).map(job => [job.id, job.position]))
    const before = await positions()
    // One that waits no more, one that is not there, and one that is named twice.
    expect(await orderJobs(db.em(), [three, two, one, 4711, three], 'by due times')).toBe(2)
    expect(await positions()).toEqual(
      new Map([
        [one, before.get(three)],
        [two, before.get(two)],
        [three, before.get(one)],
      ]),
    )
    expect((await readJob(db.em(), three)).events.at(-1)).toMatchObject({ event: 'move', note: 'by due times' })
    expect((await readJob(db.em(), two)).events.at(-1)).toMatchObject({ event: 'hold' })
    expect(await orderJobs(db.em(), [one, three], 'back')).toBe(2)
    expect(await positions()).toEqual(before)
    expect(await orderJobs(db.em(), [one, three], 'again')).toBe(0)
    expect(await orderJobs(db.em(), [], 'nothing')).toBe(0)
  })

  test('survives very many moves to one spot', async () => {
    const [one, two, three] = (await released()) as [number, number, number]
    for (let move = 0; move < 120; move++)
      await moveJobs(db.em(), [move % 2 === 0 ? three : two], move % 2 === 0 ? two : three)
    const positions = (await listJobs(db.em(), { orderId: made.order.id })).map(job => job.position)
    expect(new Set(positions).size).toBe(3)
    expect((await states()).map(([name]) => name)[0]).toBe('one.mp4')
    expect(one).toBeGreaterThan(0)
  })
})

describe('handing out', () => {
  test('gives no more than there is room for, so that a new order counts at once', async () => {
    const [one, two, three] = (await released()) as [number, number, number]
    expect(await dispatchJobs(db.em(), db.queue, 1)).toBe(1)
    expect(await dispatchJobs(db.em(), db.queue, 1)).toBe(0)
    await moveJobs(db.em(), [three], two)
    expect(await dispatchJobs(db.em(), db.queue, 2)).toBe(1)
    expect(await states()).toEqual([
      ['one.mp4', 'queued'],
      ['three.mp4', 'queued'],
      ['two.mp4', 'waiting'],
    ])
    expect(one).toBeLessThan(two)
  })

  test('hands nothing out of working hours, which are kept as they were set, until a person wants it', async () => {
    await released()
    expect(await hoursOf(db.em())).toEqual(anyTime)
    const closed = closedNow()
    expect(await changeHours(db.em(), closed)).toEqual(closed)
    expect(await hoursOf(db.em())).toEqual(closed)
    expect(await dispatchJobs(db.em(), db.queue, 2)).toBe(0)
    const until = inSeconds(60)
    expect(await changeHours(db.em(), { workOnUntil: until })).toEqual({ ...closed, workOnUntil: until })
    expect(await dispatchJobs(db.em(), db.queue, 1)).toBe(1)
    await changeHours(db.em(), { workOnUntil: inSeconds(-1) })
    expect(await dispatchJobs(db.em(), db.queue, 2)).toBe(0)
    await changeHours(db.em(), { hours: null })
    expect(await dispatchJobs(db.em(), db.queue, 2)).toBe(1)
  })

  test('gives a task to one worker only', async () => {
    await released()
    const [a, b] = [await makeWorker(db), await makeWorker(db)]
    await dispatchJobs(db.em(), db.queue, 1)
    const taken = await Promise.all([
      takeTask(db.em(), db.queue, 'job', a.id),
      takeTask(db.em(), db.queue, 'job', b.id),
    ])
    expect(taken.filter(task => task !== null)).toHaveLength(1)
  })

  test('starts a job only in the attempt that was handed out, and not after a cancel', async () => {
    await released()
    const worker = await makeWorker(db)
    await dispatchJobs(db.em(), db.queue, 1)
    const task = (await takeTask(db.em(), db.queue, 'job', worker.id))!
    expect(await startJob(db.em(), task.payload.jobId, task.payload.attempt + 1, worker)).toBeNull()
    await actOnJobs(db.em(), [task.payload.jobId], 'cancel')
    expect(await startJob(db.em(), task.payload.jobId, task.payload.attempt, worker)).toBeNull()
  })

  test('within a transaction that rolls back sends nothing', async () => {
    await expect(
      db.em().transactional(async tx => {
        await db.queue.send('facts', { sourceId: 1 }, tx)
        throw new Error('no')
      }),
    ).rejects.toThrow('no')
    const worker = await makeWorker(db)
    // The three tasks of the sources themselves, and none more.
    const taken = []
    for (
      let task = await takeTask(db.em(), db.queue, 'facts', worker.id);
      task;
      task = await takeTask(db.em(), db.queue, 'facts', worker.id)
    )
      taken.push(task)
    expect(taken).toHaveLength(3)
  })
})

describe('a running job', () => {
  test('takes progress and results from its own worker and attempt only', async () => {
    await released()
    const [worker, stranger] = [await makeWorker(db), await makeWorker(db)]
    const { job } = await begin(worker)
    const progress = {
      stage: 'encode',
      framesDone: 1,
      framesTotal: 2,
      framesPerSecond: 1,
      timesRealTime: 1,
      bytesWritten: 0,
      secondsLeft: null,
      part: 0.4,
    } as const
    expect(await keepProgress(db.em(), job.id, job.attempt, stranger.id, progress)).toBe(false)
    expect(await keepProgress(db.em(), job.id, job.attempt - 1, worker.id, progress)).toBe(false)
    expect(await keepProgress(db.em(), job.id, job.attempt, worker.id, progress)).toBe(true)
    expect(
      await beginPlacing(db.em(), job.id, job.attempt, stranger.id, {
        check,
        temporaryPath: 't',
        outputPath: 'o',
        workSeconds: 1,
      }),
    ).toBe(false)
    await failJob(db.em(), job.id, job.attempt, stranger.id, 'not yours')
    expect((await readJob(db.em(), job.id)).state).toBe('running')
  })

  test('nothing is handed out for lanes that were taken from a worker before it knows', async () => {
    await released()
    const worker = await makeWorker(db, { lanes: 3 })
    await setLanes(db.em(), worker.id, 0)
    expect(await dispatchJobs(db.em(), db.queue, 3, worker)).toBe(0)
    await setLanes(db.em(), worker.id, 1)
    expect(await dispatchJobs(db.em(), db.queue, 3, worker)).toBe(1)
    expect((await states()).map(([, state]) => state)).toEqual(['queued', 'waiting', 'waiting'])
  })

  test('held keeps its worker, and goes on with it', async () => {
    await released()
    const worker = await makeWorker(db)
    const { job } = await begin(worker)
    await actOnJobs(db.em(), [job.id], 'hold')
    await actOnJobs(db.em(), [job.id], 'resume')
    // It waits for its own worker, whose one lane is kept for it; nobody else is handed it.
    expect(await dispatchJobs(db.em(), db.queue, 1, worker)).toBe(0)
    expect(await dispatchJobs(db.em(), db.queue, 3)).toBe(2)
    expect(await states()).toEqual([
      ['one.mp4', 'waiting'],
      ['two.mp4', 'queued'],
      ['three.mp4', 'queued'],
    ])
    // Not out of working hours, even where its worker has not heard of them yet.
    await changeHours(db.em(), closedNow())
    expect(await continueJob(db.em(), job.id, job.attempt, worker.id)).toBe(false)
    await changeHours(db.em(), anyTime)
    expect(await continueJob(db.em(), job.id, job.attempt, worker.id)).toBe(true)
    expect((await readJob(db.em(), job.id)).state).toBe('running')
  })

  test.each(['its process', 'its worker'])(
    'that takes %s down with it waits again four times; the fifth gives it up with a sentence',
    async what => {
      const ids = await released()
      await actOnJobs(db.em(), ids.slice(1), 'hold')
      for (let time = 1; time <= 5; time++) {
        const worker = await makeWorker(db)
        const { job } = await begin(worker)
        if (what === 'its process') await loseJob(db.em(), job.id, job.attempt, worker.id, 'killed')
        else await retireWorker(db.em(), db.queue, worker.id, 'its worker was lost')
        expect((await readJob(db.em(), job.id)).state).toBe(time < 5 ? 'waiting' : 'failed')
      }
      expect((await readJob(db.em(), ids[0]!)).reason).toMatch(/^The work broke off 5 times/)
      // A person may try again, and it is counted anew.
      await actOnJobs(db.em(), [ids[0]!], 'retry')
      const worker = await makeWorker(db)
      const { job } = await begin(worker)
      await loseJob(db.em(), job.id, job.attempt, worker.id, 'killed')
      expect((await readJob(db.em(), ids[0]!)).state).toBe('waiting')
    },
  )

  /** Begins the next job, which is to be made in units. */
  async function beginInUnits() {
    const owner = await makeWorker(db)
    const { job } = await begin(owner)
    return { owner, job, own: { id: job.id, attempt: job.attempt, workerId: owner.id, work: 'a' } }
  }
  /** Takes the next unit that is asked for, and begins it. */
  async function takeUnit(worker: WorkerIdentity) {
    const task = await takeTask(db.em(), db.queue, 'unit', worker.id)
    return task && (await beginUnit(db.em(), task.payload.unitId, task.payload.run, worker.id))!.unit
  }
  const segment = (firstFrame: number, frames: number | null) => ({ kind: 'segment' as const, firstFrame, frames })

  test('that comes forward by a segment is not given up for what was lost before', async () => {
    const ids = await released()
    await actOnJobs(db.em(), ids.slice(1), 'hold')
    for (let time = 1; time <= 6; time++) {
      const { owner, job, own } = await beginInUnits()
      const segments = Array.from({ length: 8 }, (_, index) => segment(index * 10, index < 7 ? 10 : null))
      // However it is parted now, it goes on in the segments that it was begun in.
      expect(await keepUnits(db.em(), own, time === 1 ? segments : segments.slice(0, 2))).toHaveLength(8)
      await askForUnits(db.em(), db.queue, own)
      await finishUnit(db.em(), (await takeUnit(owner))!, owner.id, { frames: 10, seconds: 1 })
      await retireWorker(db.em(), db.queue, owner.id, 'its worker was lost')
      expect((await readJob(db.em(), job.id)).state).toBe('waiting')
    }
    const units = await unitsOf(db.em(), ids[0]!)
    expect(units.map(unit => unit.state === 'done')).toEqual([...Array(6).fill(true), false, false])
    expect((await readJob(db.em(), ids[0]!)).making).toMatch(/^In 8 segments, /)
  })

  test('has its units made before those of a later one, in their order, also when one comes back', async () => {
    const ids = await released()
    await actOnJobs(db.em(), ids.slice(2), 'hold')
    const [first, second] = [await beginInUnits(), await beginInUnits()]
    // Asked for in the other order.
    for (const { own } of [second, first]) {
      const sound = { kind: 'sound' as const, firstFrame: 0, frames: 20 }
      await keepUnits(db.em(), own, [sound, segment(0, 10), segment(10, null)])
      await askForUnits(db.em(), db.queue, own)
    }
    const helper = await makeWorker(db)
    expect(await takeUnit(helper)).toMatchObject({ job: { id: first.job.id }, kind: 'sound', frames: 20 })
    // Segments alone are counted as such.
    expect((await readJob(db.em(), first.job.id)).making).toMatch(/^In 2 segments, /)
    await retireWorker(db.em(), db.queue, helper.id, 'its worker was lost')
    await askForUnits(db.em(), db.queue, first.own)
    const taken = []
    for (let unit = await takeUnit(first.owner); unit; unit = await takeUnit(first.owner))
      taken.push([unit.job.id, unit.kind, unit.firstFrame])
    const inOrder = (id: number) => [
      [id, 'sound', 0],
      [id, 'segment', 0],
      [id, 'segment', 10],
    ]
    expect(taken).toEqual([...inOrder(first.job.id), ...inOrder(second.job.id)])
  })

  test('whose segment takes down one worker after another is told so by the segment', async () => {
    const ids = await released()
    await actOnJobs(db.em(), ids.slice(1), 'hold')
    const { job, own } = await beginInUnits()
    await keepUnits(db.em(), own, [segment(0, null)])
    for (let time = 1; time <= 5; time++) {
      await askForUnits(db.em(), db.queue, own)
      const helper = await makeWorker(db)
      expect(await takeUnit(helper)).not.toBeNull()
      await retireWorker(db.em(), db.queue, helper.id, 'its worker was lost')
      const [unit] = await unitsOf(db.em(), job.id)
      if (time < 5) expect(unit).toMatchObject({ state: 'idle', reason: null, losses: time })
      else expect(unit!.reason).toMatch(/was lost 5 times/)
    }
  })

  test('that is given back by a worker that was ended in order counts as no loss', async () => {
    const ids = await released()
    await actOnJobs(db.em(), ids.slice(1), 'hold')
    for (let time = 0; time < 6; time++) {
      const worker = await makeWorker(db)
      await begin(worker)
      await retireWorker(db.em(), db.queue, worker.id, 'the worker was ended', false)
    }
    expect((await readJob(db.em(), ids[0]!)).state).toBe('waiting')
  })

  test("that was finished while its worker was out of touch becomes that worker's again, unless another has begun it", async () => {
    await released()
    const [worker, second, other] = [await makeWorker(db), await makeWorker(db), await makeWorker(db)]
    const { job } = await begin(worker)
    await retireWorker(db.em(), db.queue, worker.id, 'its worker was lost')
    const result = { check, temporaryPath: 'job-1', outputPath: 'one-box.mp4', workSeconds: 3 }
    expect(await beginPlacing(db.em(), job.id, job.attempt, worker.id, result)).toBe(true)
    expect((await readJob(db.em(), job.id)).state).toBe('placing')
    const { job: taken } = await begin(second)
    await retireWorker(db.em(), db.queue, second.id, 'its worker was lost')
    expect((await begin(other)).job.id).toBe(taken.id)
    expect(await beginPlacing(db.em(), taken.id, taken.attempt, second.id, result)).toBe(false)
  })
})

describe('a connection that is cut', () => {
  test('leaves nothing taken or begun for good: what a living worker does not know of is given back', async () => {
    await released()
    const [worker, next] = [await makeWorker(db), await makeWorker(db)]
    // Begun, and taken, by transactions whose answers never came.
    await begin(worker)
    await dispatchJobs(db.em(), db.queue, 1)
    await takeTask(db.em(), db.queue, 'job', worker.id)
    await takeTask(db.em(), db.queue, 'sample', worker.id)
    const held = await holdingsOf(db.em(), worker.id)
    expect([held.tasks.length, held.jobs.length]).toEqual([3, 1])
    await giveBackUnknown(db.em(), db.queue, worker.id, held)
    expect((await states()).map(([, state]) => state)).toEqual(['waiting', 'waiting', 'waiting'])
    expect(await holdingsOf(db.em(), worker.id)).toEqual({ tasks: [], jobs: [] })
    await begin(next)
    expect((await states())[0]).toEqual(['one.mp4', 'running'])
    expect(await takeTask(db.em(), db.queue, 'sample', next.id)).not.toBeNull()
  })
})

describe('a lost worker', () => {
  test('gives back what it had taken, begun, held and was about to place; twice changes nothing', async () => {
    const ids = await released()
    const [lost, next] = [await makeWorker(db), await makeWorker(db)]
    const { job: running } = await begin(lost)
    const { job: placing } = await begin(lost)
    await beginPlacing(db.em(), placing.id, placing.attempt, lost.id, {
      check,
      temporaryPath: 'job-2',
      outputPath: 'two-box.mp4',
      workSeconds: 3,
    })
    await dispatchJobs(db.em(), db.queue, 1)
    await takeTask(db.em(), db.queue, 'job', lost.id)
    await takeTask(db.em(), db.queue, 'sample', lost.id)

    await retireWorker(db.em(), db.queue, lost.id, 'lost')
    await retireWorker(db.em(), db.queue, lost.id, 'lost')
    expect(await states()).toEqual([
      ['one.mp4', 'waiting'],
      ['two.mp4', 'placing'],
      ['three.mp4', 'waiting'],
    ])
    expect((await adoptPlacing(db.em(), next)).map(job => job.id)).toEqual([placing.id])
    const samples = []
    for (
      let task = await takeTask(db.em(), db.queue, 'sample', next.id);
      task;
      task = await takeTask(db.em(), db.queue, 'sample', next.id)
    )
      samples.push(task.payload.sampleId)
    expect(samples.sort()).toEqual([1, 2, 3])

    // Late words of the lost one change nothing.
    await failJob(db.em(), running.id, running.attempt, lost.id, 'too late')
    expect((await readJob(db.em(), ids[0]!)).state).toBe('waiting')
  })

  test('that was placing leaves a job that the next one finishes', async () => {
    await released()
    const [lost, next] = [await makeWorker(db), await makeWorker(db)]
    const { job } = await begin(lost)
    await beginPlacing(db.em(), job.id, job.attempt, lost.id, {
      check,
      temporaryPath: 't',
      outputPath: 'o.mp4',
      workSeconds: 3,
    })
    await retireWorker(db.em(), db.queue, lost.id, 'lost')
    await adoptPlacing(db.em(), next)
    await finishJob(db.em(), job.id)
    await finishJob(db.em(), job.id)
    const detail = await readJob(db.em(), job.id)
    expect(detail).toMatchObject({ state: 'done', outputPath: 'o.mp4' })
    expect(detail.events.filter(event => event.event === 'finish')).toHaveLength(1)
  })
})

describe('what happened', () => {
  test('is kept event by event and never rewritten', async () => {
    const [id] = (await released()) as [number]
    const worker = await makeWorker(db)
    const { job, task } = await begin(worker)
    await failJob(db.em(), job.id, job.attempt, worker.id, 'The disk is full.')
    await endTasks(db.em(), db.queue, [task])
    await actOnJobs(db.em(), [id], 'retry')
    expect((await readJob(db.em(), id)).events.map(event => [event.event, event.from, event.to])).toEqual([
      ['create', null, 'draft'],
      ['release', 'draft', 'waiting'],
      ['dispatch', 'waiting', 'queued'],
      ['start', 'queued', 'running'],
      ['fail', 'running', 'failed'],
      ['retry', 'failed', 'waiting'],
    ])
    expect((await listEvents(db.em(), { orderId: made.order.id, limit: 2 })).map(event => event.event)).toEqual([
      'retry',
      'fail',
    ])
    await expect(db.em().getConnection().execute(`update job_event set note = 'another'`)).rejects.toThrow(
      'never rewritten',
    )
  })
})
