import PgBoss from 'pg-boss'
import { describe, expect, test } from 'vitest'
import {
  askForStandIns,
  beginMeasuring,
  bringIn,
  changeOrder,
  draftJobs,
  ensureSamples,
  findLostWorkers,
  forgetVolume,
  keepFacts,
  keepMeasurement,
  listen,
  listOrders,
  listSources,
  listVolumes,
  keepPoster,
  keepPosterFailure,
  posterOf,
  readAgain,
  readSource,
  registerVolume,
  listWorkers,
  reportWorker,
  setLanes,
  retireWorker,
  sampleFingerprint,
  sourceNumbersByPath,
  takeTask,
  TaskQueue,
} from '../src/index.ts'
import { migratorOf } from '../src/migrating.ts'
import { deriveTreatment, rational } from '@hematine/core'
import { facts, spec } from '../../core/tests/examples.ts'
import { makeOrder, makeWorker, useDatabase } from '../../../tests/support/database.ts'

const db = useDatabase()

test('the tables are what the entities say', async () => {
  expect((await db.database.schema.getUpdateSchemaSQL({ wrap: false, safe: true })).trim()).toBe('')
})

test('migrating again changes nothing', async () => {
  expect(await migratorOf(db.database).getPendingMigrations()).toEqual([])
})

describe('volumes', () => {
  test('may not lie in each other, for results must never land among sources', async () => {
    await db.fresh()
    await registerVolume(db.em(), { name: 'A', role: 'source', path: '/srv/reels' })
    for (const path of ['/srv/reels', '/srv/reels/out', '/srv'])
      await expect(registerVolume(db.em(), { name: 'B', role: 'delivery', path })).rejects.toThrow(
        'the volume A. Choose one apart from it.',
      )
    await registerVolume(db.em(), { name: 'B', role: 'delivery', path: '/srv/reels-out' })
    expect((await listVolumes(db.em())).map(volume => volume.name)).toEqual(['A', 'B'])
  })

  test('are forgotten only when nothing refers to them', async () => {
    await db.fresh()
    const { source, delivery } = await makeOrder(db, ['one.mp4'])
    await expect(forgetVolume(db.em(), source.id)).rejects.toThrow('stays registered')
    await forgetVolume(db.em(), delivery.id)
    await expect(forgetVolume(db.em(), delivery.id)).rejects.toThrow(`There is no volume ${delivery.id}`)
  })
})

describe('sources', () => {
  test('come in once, in any number of tries', async () => {
    await db.fresh()
    const { order, source } = await makeOrder(db, ['one.mp4', 'a/two.mp4'])
    const again = await bringIn(db.em(), db.queue, order.id, [
      { kind: 'file', volumeId: source.id, path: 'a/two.mp4' },
      { kind: 'file', volumeId: source.id, path: 'three\n"3".mp4' },
    ])
    expect(again).toMatchObject({ alreadyThere: 1, brought: [{ name: 'three\n"3".mp4', state: 'reading' }] })
    expect(Object.fromEntries(await sourceNumbersByPath(db.em(), order.id, source.id))).toEqual({
      'one.mp4': 1,
      'a/two.mp4': 2,
      'three\n"3".mp4': 3,
    })
  })

  test('that are sequences carry their rate, and only they take one by hand', async () => {
    await db.fresh()
    const { order, source, sourceIds } = await makeOrder(db, ['one.mp4'])
    const sequence = { prefix: 'r-', suffix: '.png', padding: 4, first: 1, last: 48, missing: [] }
    const { brought } = await bringIn(db.em(), db.queue, order.id, [
      { kind: 'sequence', volumeId: source.id, directory: 'renders', sequence, frameRate: rational(24) },
    ])
    expect(brought[0]).toMatchObject({
      relativePath: 'renders/r-[0001-0048].png',
      frameRate: { num: 24, den: 1 },
      sequence,
    })
    expect((await readAgain(db.em(), db.queue, brought[0]!.id, rational(30))).frameRate).toEqual({ num: 30, den: 1 })
    await expect(readAgain(db.em(), db.queue, sourceIds[0]!, rational(30))).rejects.toThrow('Only a sequence')
  })

  test('keep their poster apart, and a new reading replaces it', async () => {
    await db.fresh()
    const {
      sourceIds: [id],
    } = await makeOrder(db, ['one.mp4'])
    const { revision } = (await readSource(db.em(), id!))!
    await keepPoster(db.em(), id!, Buffer.from('first'), revision)
    await keepFacts(db.em(), db.queue, id!, facts(), 'b')
    expect((await posterOf(db.em(), id!))!.toString()).toBe('first')
    await keepPoster(db.em(), id!, Buffer.from('second'), revision)
    // One that was made of what the source was before comes too late.
    await keepPoster(db.em(), id!, Buffer.from('older'), revision - 1)
    expect((await posterOf(db.em(), id!))!.toString()).toBe('second')
    for (let time = 0; time < 2; time++) await keepPosterFailure(db.em(), id!, 'No picture can be shown.', revision)
    expect(await posterOf(db.em(), id!)).toBeNull()
    expect(
      (await readSource(db.em(), id!))!.facts!.remarks.filter(remark => remark.startsWith('No picture')),
    ).toHaveLength(1)
    expect((await listSources(db.em(), { ids: [id!] }))[0]!.hasPoster).toBe(false)
  })
})

describe('samples', () => {
  test('are shared by equal work, and not by work that differs in what matters', async () => {
    await db.fresh()
    const {
      sourceIds: [id],
      delivery,
    } = await makeOrder(db, ['one.mp4'])
    await draftJobs(db.em(), db.queue, [{ sourceId: id!, specKey: 'small-mp4' }], delivery.id)
    const source = (await readSource(db.em(), id!))!
    const small = spec('small-mp4')
    const treatment = deriveTreatment(facts(), small)
    const print = sampleFingerprint(source, treatment, small)
    expect(sampleFingerprint(source, treatment, { ...small, name: 'Other', purpose: 'other', nameSuffix: '-o' })).toBe(
      print,
    )
    expect(sampleFingerprint(source, treatment, { ...small, video: { ...small.video, effort: 'slow' } })).not.toBe(
      print,
    )
    expect(sampleFingerprint({ ...source, identity: 'changed' }, treatment, small)).not.toBe(print)
  })

  test('measured on a machine that no worker has are measured again', async () => {
    await db.fresh()
    const {
      sourceIds: [id],
    } = await makeOrder(db, ['one.mp4'])
    await makeWorker(db, { machine: 'this machine' })
    const small = spec('small-mp4')
    const treatment = deriveTreatment(facts(), small)
    const rowOf = async (sampleId: number) =>
      (
        await db
          .em()
          .getConnection()
          .execute<{ id: number; state: string; run: number }[]>('select id, state, run from sample where id = ?', [
            sampleId,
          ])
      )[0]!
    const ensure = async () =>
      rowOf(
        (
          await db
            .em()
            .transactional(async tx =>
              ensureSamples(tx, [{ source: (await readSource(tx, id!))!, treatment, spec: small, steps: [] }]),
            )
        )[0]!,
      )
    const sample = await ensure()
    const measurement = {
      windows: [],
      soundBytesPerSecond: 0,
      soundPacketsPerSecond: 0,
      soundSecondsPerSecond: 0,
      startSeconds: 0,
      tookSeconds: 1,
    }
    await keepMeasurement(db.em(), sample.id, sample.run, { ...measurement, machine: 'this machine' })
    expect(await ensure()).toMatchObject({ id: sample.id, state: 'ready' })
    await keepMeasurement(db.em(), sample.id, sample.run, { ...measurement, machine: 'another machine' })
    expect(await ensure()).toMatchObject({ id: sample.id, state: 'later' })
    // The older measurement, ending now, no longer counts.
    await keepMeasurement(db.em(), sample.id, sample.run, { ...measurement, machine: 'this machine' })
    expect(await rowOf(sample.id)).toMatchObject({ state: 'later' })
    await db.em().transactional(tx => askForStandIns(tx, db.queue, [sample.id]))
    expect(await rowOf(sample.id)).toMatchObject({ state: 'waiting' })
  })
})

describe('workers', () => {
  test('are lost when silent for long, or when their process on this host is gone', async () => {
    await db.fresh()
    const [quiet, dead, well, elsewhere] = [
      await makeWorker(db),
      await makeWorker(db, { pid: 1 << 30 }),
      await makeWorker(db),
      await makeWorker(db, { host: 'there', pid: 1 << 30 }),
    ]
    await db
      .em()
      .getConnection()
      .execute("update worker set seen_at = now() - interval '11 seconds' where id = ?", [quiet.id])
    const lost = await findLostWorkers(db.em(), 'here', pid => pid === process.pid)
    expect(new Set(lost)).toEqual(new Set([quiet.id, dead.id]))
    expect(lost).not.toContain(well.id)
    expect(lost).not.toContain(elsewhere.id)
  })

  test('that left or were taken for lost take no task, which stays for the others', async () => {
    await db.fresh()
    const { order, source } = await makeOrder(db, [])
    const [gone, here] = [await makeWorker(db), await makeWorker(db)]
    await retireWorker(db.em(), db.queue, gone.id, 'silent')
    const { brought } = await bringIn(db.em(), db.queue, order.id, [
      { kind: 'file', volumeId: source.id, path: 'one.mp4' },
    ])
    expect(await takeTask(db.em(), db.queue, 'facts', gone.id)).toBeNull()
    expect((await takeTask(db.em(), db.queue, 'facts', here.id))!.payload).toEqual({ sourceId: brought[0]!.id })
  })

  test('hear at one look of which kinds tasks wait: those that were taken do not, those given back do', async () => {
    await db.fresh()
    const { order, source } = await makeOrder(db, [])
    const worker = await makeWorker(db)
    expect(await db.queue.waitingKinds(db.em())).toEqual(new Set())
    await bringIn(db.em(), db.queue, order.id, [{ kind: 'file', volumeId: source.id, path: 'one.mpg' }])
    expect(await db.queue.waitingKinds(db.em())).toEqual(new Set(['facts']))
    await takeTask(db.em(), db.queue, 'facts', worker.id)
    expect(await db.queue.waitingKinds(db.em())).toEqual(new Set())
    await retireWorker(db.em(), db.queue, worker.id, 'the worker was ended')
    expect(await db.queue.waitingKinds(db.em())).toEqual(new Set(['facts']))
  })

  test('find what waited for more than a year, also in an installation whose queue kept it for two weeks', async () => {
    await db.fresh()
    const { order, source } = await makeOrder(db, [])
    const worker = await makeWorker(db)
    const sql = (text: string) => db.em().getConnection().execute(text)
    const engine = new PgBoss({ connectionString: db.url, schema: 'task_queue', supervise: false, schedule: false })
    await engine.start()
    try {
      await sql('update task_queue.queue set retention_minutes = null, expire_seconds = null')
      await (await TaskQueue.open(db.url, false, () => undefined)).close()
      const { brought } = await bringIn(db.em(), db.queue, order.id, [
        { kind: 'file', volumeId: source.id, path: 'one.mpg' },
      ])
      // As if all of that had been four hundred days ago.
      const past = (column: string) => `${column} = ${column} - interval '400 days'`
      await sql(
        `update task_queue.job set ${past('created_on')}, ${past('start_after')}, ${past('keep_until')} where name = 'facts'`,
      )
      await engine.maintain()
      expect((await takeTask(db.em(), db.queue, 'facts', worker.id))?.payload).toEqual({ sourceId: brought[0]!.id })
      // Nor is what is being done taken away from who does it for hours.
      await sql(`update task_queue.job set started_on = started_on - interval '22 hours' where name = 'facts'`)
      await engine.maintain()
      expect(await sql(`select state from task_queue.job where name = 'facts'`)).toEqual([{ state: 'active' }])
    } finally {
      await engine.stop({ graceful: false, close: true })
    }
  })

  test('give back what they were measuring when they are lost', async () => {
    await db.fresh()
    const {
      sourceIds: [id],
    } = await makeOrder(db, ['one.mp4'])
    const [lost, here] = [await makeWorker(db), await makeWorker(db)]
    await takeTask(db.em(), db.queue, 'measure', lost.id)
    await beginMeasuring(db.em(), id!)
    await retireWorker(db.em(), db.queue, lost.id, 'silent')
    expect((await listSources(db.em(), { ids: [id!] }))[0]!.measureState).toBe('waiting')
    expect((await takeTask(db.em(), db.queue, 'measure', here.id))!.payload).toEqual({ sourceId: id, depth: 'sampled' })
  })

  test('learn from their sign of life that they were taken for lost', async () => {
    await db.fresh()
    const worker = await makeWorker(db)
    expect(await reportWorker(db.em(), worker.id)).toEqual({ lanes: 1, fault: null })
    await retireWorker(db.em(), db.queue, worker.id, 'silent')
    expect(await reportWorker(db.em(), worker.id)).toBeNull()
  })

  test('have the lanes that a person gave them, also when they are started again', async () => {
    await db.fresh()
    const worker = await makeWorker(db, { name: 'night', lanes: 2 })
    expect(await setLanes(db.em(), worker.id, 5)).toMatchObject({ lanes: 5, state: 'at work' })
    expect(await reportWorker(db.em(), worker.id)).toEqual({ lanes: 5, fault: null })
    expect(await setLanes(db.em(), worker.id, 0)).toMatchObject({ lanes: 0, state: 'takes no jobs' })
    await retireWorker(db.em(), db.queue, worker.id, 'the worker was ended')
    await expect(setLanes(db.em(), worker.id, 1)).rejects.toThrow(/no longer there/)
    await makeWorker(db, { name: 'night', lanes: 2 })
    await makeWorker(db, { name: 'night', host: 'elsewhere', lanes: 2 })
    expect((await listWorkers(db.em())).map(({ lanes }) => lanes)).toEqual([0, 2])
  })
})

test('changes are heard by those who listen, signs of life are not', async () => {
  await db.fresh()
  const heard: string[] = []
  const listening = await listen(
    db.url,
    change => heard.push(`${change.table}:${change.id}`),
    () => undefined,
  )
  const { order } = await makeOrder(db, ['one.mp4'])
  const worker = await makeWorker(db)
  await reportWorker(db.em(), worker.id)
  await changeOrder(db.em(), order.id, { dueAt: new Date('2026-11-27T08:00:00Z') })
  await expect.poll(() => heard).toContain(`work_order:${order.id}`)
  expect(heard.filter(change => change.startsWith('worker:'))).toEqual([`worker:${worker.id}`])
  await setLanes(db.em(), worker.id, 3)
  await expect.poll(() => heard.filter(change => change.startsWith('worker:'))).toHaveLength(2)
  expect(heard).toContain('source:1')
  await listening.end()
  expect((await listOrders(db.em()))[0]!.dueAt).toBe('2026-11-27T08:00:00.000Z')
})

test("an order's lateness counts once, or as often as a person says", async () => {
  await db.fresh()
  const { order } = await makeOrder(db, [])
  expect(order.lateWeight).toBe(1)
  expect((await changeOrder(db.em(), order.id, { lateWeight: 4 })).lateWeight).toBe(4)
  // What is not said stays.
  await changeOrder(db.em(), order.id, { name: 'Reels' })
  expect((await listOrders(db.em()))[0]).toMatchObject({ name: 'Reels', lateWeight: 4 })
})
