import { describe, expect, test } from 'vitest'
import {
  findingsOf,
  measuringVersion,
  newStep,
  rational,
  rulesVersion,
  type Measurement,
  type SourceFilter,
} from '@hematine/core'
import {
  actOnJobs,
  addStep,
  askToMeasure,
  beginMeasuring,
  beginScan,
  beginWatch,
  bringIn,
  bringUpToDate,
  countSources,
  draftJobs,
  endTasks,
  expectLastFrame,
  groupAgain,
  keepFacts,
  keepLook,
  keepMeasuringFailure,
  keepMeasuringPart,
  keepScanned,
  keepSourceMeasurement,
  listLots,
  listScans,
  listSources,
  keepRefusal,
  listWatches,
  measurementOf,
  mergeLots,
  moveToLot,
  nextDirectory,
  pageOfSources,
  readAgain,
  readJob,
  readSource,
  renameLot,
  setFineness,
  sourceIdsOf,
  stopMeasuring,
  stopScan,
  stripOf,
  stripPicture,
  takeDueWatch,
  takeTask,
} from '../src/index.ts'
import { discFacts, facts } from '../../core/tests/examples.ts'
import { makeOrder, makeWorker, useDatabase } from '../../../tests/support/database.ts'

const db = useDatabase()

/** A measurement in which the picture is noisy and combed with the bottom field first. */
function measurement(noise: number): Measurement {
  const column = (value: number) => Array.from({ length: 25 }, () => value)
  const window = {
    seconds: column(0).map((_, index) => index / 25),
    mean: column(110),
    low: column(30),
    high: column(200),
    illegal: column(0),
    atTop: column(0),
    saturation: column(20),
    change: column(4),
    histogramChange: column(0),
    shiftX: column(0),
    shiftY: column(0),
    shiftFit: column(0),
    scan: 'b'.repeat(25),
    errors: 0,
    borders: null,
    still: {
      seconds: 0.5,
      noise,
      gridX: 1,
      gridY: 1,
      gridStepX: 0,
      gridStepY: 0,
      gridColumn: 0,
      gridRow: 0,
      detailX: null,
      detailY: null,
      flat: 0,
    },
  }
  return {
    version: measuringVersion,
    depth: 'sampled',
    tookSeconds: 1.5,
    sound: [],
    picture: {
      width: 720,
      height: 576,
      framesPerSecond: 25,
      windows: [window],
      whole: true,
      marks: [],
      times: { packetsRead: 0, regular: 0, short: 0, long: 0, longAt: [], endSeconds: null },
    },
  }
}

/** Keeps a measurement as a worker does: with the facts as they were. */
async function keepMeasured(
  id: number,
  measured: Measurement,
  strip: Parameters<typeof keepSourceMeasurement>[4],
): Promise<void> {
  const source = (await readSource(db.em(), id))!
  await keepSourceMeasurement(db.em(), source, measured, source.facts!, strip)
}

const filterOf = (...filter: SourceFilter) => filter
const page = (orderId: number, rest: object = {}) => ({
  orderId,
  filter: [] as SourceFilter,
  sort: 'name' as const,
  descending: false,
  offset: 0,
  limit: 100,
  ...rest,
})

describe('lots', () => {
  test('gather what is alike, and a later arrival joins its lot', async () => {
    await db.fresh()
    const { order, source } = await makeOrder(db, ['a.mp4', 'b.mp4'])
    const { brought } = await bringIn(db.em(), db.queue, order.id, [
      { kind: 'file', volumeId: source.id, path: 'disc.mpg' },
      { kind: 'file', volumeId: source.id, path: 'c.mp4' },
    ])
    await keepFacts(db.em(), db.queue, brought[0]!.id, discFacts, 'x')
    await keepFacts(db.em(), db.queue, brought[1]!.id, facts(), 'y')
    const lots = await listLots(db.em(), order.id, [])
    expect(lots.map(lot => [lot.name, lot.count])).toEqual([
      ['Lot A', 3],
      ['Lot B', 1],
    ])
    expect(lots[0]!.reason).toBe('1920x1080 16:9, progressive, 25 fps, H.264')
    expect(lots[1]!.reason).toBe('720x576 16:9, interlaced, top field first, 25 fps, MPEG-2')
    expect(lots[0]!.seconds).toBe(360)
    expect(lots[0]!.bytes).toBe(3 * 13_300_000)
  })

  test('change with what is measured, and an empty lot goes', async () => {
    await db.fresh()
    const { order, sourceIds } = await makeOrder(db, ['a.mpg', 'b.mpg'], undefined, discFacts)
    await askToMeasure(db.em(), db.queue, sourceIds, 'sampled')
    for (const id of sourceIds) await keepMeasured(id, measurement(5), [{ seconds: 0.5, picture: Buffer.from('p') }])
    const lots = await listLots(db.em(), order.id, [])
    expect(lots).toHaveLength(1)
    expect(lots[0]!.reason).toBe('720x576 16:9, bottom field first, 25 fps, MPEG-2, noise')
    const [first] = await listSources(db.em(), { ids: [sourceIds[0]!] })
    expect(first!.findings.map(entry => entry.key)).toContain('scan-flag')
    expect(first).toMatchObject({ measureState: 'ready', measured: { depth: 'sampled', tookSeconds: 1.5 } })
    expect(await stripOf(db.em(), sourceIds[0]!)).toEqual([0.5])
    expect((await stripPicture(db.em(), sourceIds[0]!, 0)).toString()).toBe('p')
    await expect(stripPicture(db.em(), sourceIds[0]!, 7)).rejects.toThrow('no such picture')
    expect((await measurementOf(db.em(), sourceIds[0]!)).picture!.windows[0]!.still!.noise).toBe(5)
  })

  test('are coarser or finer as the order says, but for what a person placed', async () => {
    await db.fresh()
    const {
      order,
      sourceIds: [one, two, three],
    } = await makeOrder(db, ['a.mpg', 'b.mpg', 'c.mpg'], undefined, discFacts)
    await askToMeasure(db.em(), db.queue, [one!, two!, three!], 'sampled')
    await keepMeasured(one!, measurement(5), [])
    await keepMeasured(two!, measurement(0.4), [])
    await keepMeasured(three!, measurement(0.4), [])
    const counts = async () => (await listLots(db.em(), order.id, [])).map(lot => lot.count).sort()
    expect(await counts()).toEqual([1, 2])
    await setFineness(db.em(), order.id, 'coarse')
    expect(await counts()).toEqual([3])
    const own = await moveToLot(db.em(), [two!], null)
    await setFineness(db.em(), order.id, 'fine')
    expect(await counts()).toEqual([1, 1, 1])
    await setFineness(db.em(), order.id, 'coarse')
    expect((await listLots(db.em(), order.id, [])).find(lot => lot.id === own)!.count).toBe(1)
    expect(await counts()).toEqual([1, 2])
  })

  test('made by hand keep their sources whatever is found later, until they are grouped again', async () => {
    await db.fresh()
    const {
      order,
      sourceIds: [one, two, three],
    } = await makeOrder(db, ['a.mp4', 'b.mp4', 'c.mp4'])
    const lotId = await moveToLot(db.em(), [two!, three!], null)
    await renameLot(db.em(), lotId, 'Night shots')
    expect((await listLots(db.em(), order.id, [])).map(lot => [lot.name, lot.count, lot.byHand])).toEqual([
      ['Lot A', 1, false],
      ['Night shots', 2, true],
    ])
    await keepMeasured(two!, measurement(5), [])
    expect((await listSources(db.em(), { ids: [two!] }))[0]).toMatchObject({ lotId, lotByHand: true })
    await groupAgain(db.em(), [two!, three!])
    const lots = await listLots(db.em(), order.id, [])
    expect(lots.find(lot => lot.id === lotId)).toBeUndefined()
    expect((await listSources(db.em(), { ids: [one!, three!] })).map(source => source.lotId)).toEqual([
      lots[0]!.id,
      lots[0]!.id,
    ])
  })

  test('that were joined take in what is like any of them', async () => {
    await db.fresh()
    const {
      order,
      source,
      sourceIds: [one],
    } = await makeOrder(db, ['a.mp4'])
    const {
      brought: [disc, later],
    } = await bringIn(db.em(), db.queue, order.id, [
      { kind: 'file', volumeId: source.id, path: 'd.mpg' },
      { kind: 'file', volumeId: source.id, path: 'e.mpg' },
    ])
    await keepFacts(db.em(), db.queue, disc!.id, discFacts, 'x')
    const [a, b] = await listLots(db.em(), order.id, [])
    await mergeLots(db.em(), [a!.id, b!.id])
    await keepFacts(db.em(), db.queue, later!.id, discFacts, 'y')
    const lots = await listLots(db.em(), order.id, [])
    expect(lots.map(lot => [lot.id, lot.count])).toEqual([[a!.id, 3]])
    expect((await listSources(db.em(), { ids: [one!, later!.id] })).map(entry => entry.lotId)).toEqual([a!.id, a!.id])
  })

  test('name the odd one out with what differs', async () => {
    await db.fresh()
    const { order, source } = await makeOrder(db, ['a.mp4', 'b.mp4'])
    const {
      brought: [odd],
    } = await bringIn(db.em(), db.queue, order.id, [{ kind: 'file', volumeId: source.id, path: 'odd.mp4' }])
    await keepFacts(db.em(), db.queue, odd!.id, facts({ frameRate: rational(50) }), 'x')
    const [a, b] = await listLots(db.em(), order.id, [])
    expect(a!.oddOneOut).toBeNull()
    expect(b!.oddOneOut).toEqual({ lotId: a!.id, differences: ['50 fps instead of 25'] })
  })

  test('of two orders are never mixed', async () => {
    await db.fresh()
    const first = await makeOrder(db, ['a.mp4'])
    const second = await makeOrder(db, ['b.mp4'], { source: '/other/sources', delivery: '/other/delivery' })
    const [lot] = await listLots(db.em(), first.order.id, [])
    await expect(moveToLot(db.em(), second.sourceIds, lot!.id)).rejects.toThrow('There is no lot')
    await expect(moveToLot(db.em(), [first.sourceIds[0]!, second.sourceIds[0]!], null)).rejects.toThrow(
      'different orders',
    )
  })
})

describe('the list of sources', () => {
  test('comes in pages, sorted and narrowed by facts, findings and names', async () => {
    await db.fresh()
    const { order, source, sourceIds } = await makeOrder(db, ['Tape 10.mp4', 'tape 9.mp4', 'Buoy 100%_.mp4'])
    const {
      brought: [disc],
    } = await bringIn(db.em(), db.queue, order.id, [{ kind: 'file', volumeId: source.id, path: 'below/disc.mpg' }])
    await keepFacts(db.em(), db.queue, disc!.id, discFacts, 'x')
    await keepMeasured(disc!.id, measurement(4), [])
    const names = async (rest: object) => (await pageOfSources(db.em(), page(order.id, rest))).rows.map(row => row.name)
    expect(await names({ limit: 2 })).toHaveLength(2)
    expect((await pageOfSources(db.em(), page(order.id, { limit: 2, offset: 2 }))).total).toBe(4)
    expect(await names({ filter: filterOf({ field: 'name', how: 'contains', value: 'TAPE' }) })).toEqual(
      expect.arrayContaining(['Tape 10.mp4', 'tape 9.mp4']),
    )
    // What means something to SQL is looked for as it is written.
    expect(await names({ filter: filterOf({ field: 'name', how: 'contains', value: '%_' }) })).toEqual([
      'Buoy 100%_.mp4',
    ])
    expect(await names({ filter: filterOf({ field: 'finding', how: 'has', value: 'noise' }) })).toEqual(['disc.mpg'])
    expect(await names({ filter: filterOf({ field: 'finding', how: 'has not', value: 'noise' }) })).toHaveLength(3)
    expect(
      await names({
        filter: filterOf(
          { field: 'width', how: 'at most', value: 720 },
          { field: 'scan', how: 'is', value: 'bottom field first' },
        ),
      }),
    ).toEqual(['disc.mpg'])
    expect(await names({ sort: 'seconds' })).toHaveLength(4)
    expect((await names({ sort: 'seconds' }))[0]).toBe('disc.mpg')
    expect((await names({ sort: 'faults', descending: true }))[0]).toBe('disc.mpg')
    expect(
      await sourceIdsOf(db.em(), {
        orderId: order.id,
        filter: filterOf({ field: 'finding', how: 'has not', value: 'noise' }),
      }),
    ).toHaveLength(sourceIds.length)
  })

  test('says of each line what its columns show', async () => {
    await db.fresh()
    const {
      order,
      sourceIds: [id],
    } = await makeOrder(db, ['d.mpg'], undefined, discFacts)
    await keepMeasured(id!, measurement(4), [])
    expect((await pageOfSources(db.em(), page(order.id))).rows[0]).toMatchObject({
      picture: '720x576 16:9',
      motion: '25i top',
      codec: 'MPEG-2',
      sound: '2 x AC-3',
      seconds: 14,
      faults: ['scan flag is wrong', 'noise'],
      jobCount: 0,
      measureState: 'ready',
    })
  })

  test('is counted by what waits', async () => {
    await db.fresh()
    const { order, source } = await makeOrder(db, ['a.mp4'])
    await bringIn(db.em(), db.queue, order.id, [{ kind: 'file', volumeId: source.id, path: 'b.mp4' }])
    expect(await countSources(db.em(), order.id)).toEqual({
      all: 2,
      undecided: 1,
      reading: 1,
      measuring: 1,
      refused: 0,
    })
  })
})

describe('measuring', () => {
  test('follows reading, once, and a deeper one is asked for by hand', async () => {
    await db.fresh()
    const {
      sourceIds: [id],
    } = await makeOrder(db, ['a.mp4'])
    const worker = await makeWorker(db)
    const task = await takeTask(db.em(), db.queue, 'measure', worker.id)
    expect(task!.payload).toEqual({ sourceId: id, depth: 'sampled' })
    const begun = (await beginMeasuring(db.em(), id!))!
    // In line already.
    expect(await askToMeasure(db.em(), db.queue, [id!], 'deep')).toBe(0)
    await keepMeasuringFailure(db.em(), begun, 'The file is damaged.')
    await endTasks(db.em(), db.queue, [task!])
    expect((await listSources(db.em(), { ids: [id!] }))[0]).toMatchObject({
      measureState: 'failed',
      measureReason: 'The file is damaged.',
    })
    expect(await askToMeasure(db.em(), db.queue, [id!], 'deep')).toBe(1)
    expect((await takeTask(db.em(), db.queue, 'measure', worker.id))!.payload.depth).toBe('deep')
  })

  test('is not asked of stills', async () => {
    await db.fresh()
    const still = facts({ frameCount: 1 })
    const { sourceIds } = await makeOrder(db, ['plate.png'], undefined, { ...still, audio: [] })
    expect(await askToMeasure(db.em(), db.queue, sourceIds, 'sampled')).toBe(0)
  })

  test('done under older rules is concluded anew from the kept numbers', async () => {
    await db.fresh()
    const {
      sourceIds: [id],
    } = await makeOrder(db, ['a.mpg'], undefined, discFacts)
    await keepMeasured(id!, measurement(4), [])
    await db
      .em()
      .getConnection()
      .execute(`update source set rules_version = ${rulesVersion - 1}, findings = '[]', lot_id = null`)
    expect(await bringUpToDate(db.em())).toBe(1)
    expect(await bringUpToDate(db.em())).toBe(0)
    expect((await listSources(db.em(), { ids: [id!] }))[0]!.findings).toEqual(findingsOf(discFacts, measurement(4)))
  })
})

describe('going through a folder', () => {
  test('keeps each directory with what it brought, and goes on where it was', async () => {
    await db.fresh()
    const { order, source } = await makeOrder(db, [])
    const scan = await beginScan(db.em(), db.queue, {
      orderId: order.id,
      volumeId: source.id,
      path: '',
      frameRate: rational(25),
    })
    expect(
      (
        await beginScan(db.em(), db.queue, {
          orderId: order.id,
          volumeId: source.id,
          path: '',
          frameRate: rational(25),
        })
      ).id,
    ).toBe(scan.id)
    const file = (path: string) => ({ kind: 'file' as const, volumeId: source.id, path })
    expect((await nextDirectory(db.em(), scan.id))!.directory).toBe('')
    await keepScanned(db.em(), db.queue, scan.id, {
      directory: '',
      below: ['a', 'b'],
      arrivals: [file('one.mp4')],
      files: 2,
      refused: [{ path: 'x', reason: 'The file is empty.' }],
    })
    // A worker that was lost after this transaction repeats nothing.
    await keepScanned(db.em(), db.queue, scan.id, {
      directory: '',
      below: ['a', 'b'],
      arrivals: [file('one.mp4')],
      files: 2,
      refused: [],
    })
    expect((await nextDirectory(db.em(), scan.id))!.directory).toBe('a')
    await keepScanned(db.em(), db.queue, scan.id, {
      directory: 'a',
      below: [],
      arrivals: [file('a/two.mp4'), file('one.mp4')],
      files: 2,
      refused: [],
    })
    await keepScanned(db.em(), db.queue, scan.id, { directory: 'b', below: [], arrivals: [], files: 0, refused: [] })
    expect(await nextDirectory(db.em(), scan.id)).toBeNull()
    expect((await listScans(db.em(), { orderId: order.id }))[0]).toMatchObject({
      state: 'done',
      directoriesDone: 3,
      directoriesWaiting: 0,
      filesSeen: 4,
      brought: 2,
      alreadyThere: 1,
      refusedCount: 1,
    })
  })

  test('ends where it is told to', async () => {
    await db.fresh()
    const { order, source } = await makeOrder(db, [])
    const scan = await beginScan(db.em(), db.queue, {
      orderId: order.id,
      volumeId: source.id,
      path: '',
      frameRate: rational(25),
    })
    expect(await stopScan(db.em(), scan.id)).toMatchObject({ state: 'stopped' })
    expect(await nextDirectory(db.em(), scan.id)).toBeNull()
  })
})

describe('watching a folder', () => {
  test('is due once for all workers, and brings in what has stopped growing', async () => {
    await db.fresh()
    const { order, source } = await makeOrder(db, [])
    const watch = await beginWatch(db.em(), {
      orderId: order.id,
      volumeId: source.id,
      path: 'in',
      frameRate: rational(24),
    })
    expect((await takeDueWatch(db.em()))!.id).toBe(watch.id)
    expect(await takeDueWatch(db.em())).toBeNull()
    await keepLook(db.em(), db.queue, watch.id, { growing: { 'in/a.mov': '100:1' }, arrivals: [], problem: null })
    expect((await listWatches(db.em(), { orderId: order.id }))[0]!.growing).toEqual([{ path: 'in/a.mov', bytes: 100 }])
    await keepLook(db.em(), db.queue, watch.id, {
      growing: {},
      arrivals: [{ kind: 'file', volumeId: source.id, path: 'in/a.mov' }],
      problem: null,
    })
    expect((await pageOfSources(db.em(), page(order.id))).rows.map(row => row.relativePath)).toEqual(['in/a.mov'])
  })

  test('a sequence that has more frames now keeps its source, which is read again', async () => {
    await db.fresh()
    const { order, source } = await makeOrder(db, [])
    const sequence = { prefix: 'r-', suffix: '.png', padding: 4, first: 1, last: 48, missing: [] }
    const arrival = (last: number) => ({
      kind: 'sequence' as const,
      volumeId: source.id,
      directory: 'in',
      sequence: { ...sequence, last },
      frameRate: rational(24),
    })
    const {
      brought: [first],
    } = await bringIn(db.em(), db.queue, order.id, [arrival(48)])
    await keepFacts(db.em(), db.queue, first!.id, facts(), 'x')
    await bringIn(db.em(), db.queue, order.id, [arrival(72)])
    const { rows } = await pageOfSources(db.em(), page(order.id))
    expect(rows).toMatchObject([{ id: first!.id, name: 'r-[0001-0072].png', state: 'reading' }])
  })
})

describe('a measurement under way', () => {
  test('says how far it is, and ends when it is told to; what was found before stays', async () => {
    await db.fresh()
    const { order } = await makeOrder(db, ['a.mp4', 'b.mp4'])
    const [one, other] = (await listSources(db.em(), { orderId: order.id })).map(source => source.id)
    const read = async (id: number) => (await listSources(db.em(), { ids: [id] }))[0]!
    const first = (await beginMeasuring(db.em(), one!))!
    expect(await keepMeasuringPart(db.em(), first, 0.4)).toBe(true)
    expect(await read(one!)).toMatchObject({ measureState: 'measuring', measurePart: 0.4 })
    await keepMeasured(one!, measurement(3), [])
    expect(await read(one!)).toMatchObject({ measureState: 'ready', measurePart: null })
    const { findings } = await read(one!)
    await askToMeasure(db.em(), db.queue, [one!], 'deep')
    const second = (await beginMeasuring(db.em(), one!))!
    expect(await stopMeasuring(db.em(), [one!, other!])).toBe(2)
    expect(await read(one!)).toMatchObject({ measureState: 'ready', findings })
    expect((await read(other!)).measureState).toBe('none')
    // Words of the worker that did not hear of it yet change nothing.
    expect(await keepMeasuringPart(db.em(), second, 0.9)).toBe(false)
    await keepMeasured(one!, measurement(0), [])
    await keepMeasuringFailure(db.em(), second, 'It broke off.')
    expect(await read(one!)).toMatchObject({ measureState: 'ready', findings })
    expect(await beginMeasuring(db.em(), other!)).toBe(null)
    expect(await stopMeasuring(db.em(), [one!, other!])).toBe(0)
  })
})

describe('what ends late', () => {
  test('a read does not count when a newer one was asked for', async () => {
    await db.fresh()
    const {
      sourceIds: [id],
    } = await makeOrder(db, ['a.mp4'])
    const begun = (await readSource(db.em(), id!))!
    await readAgain(db.em(), db.queue, id!)
    await keepFacts(db.em(), db.queue, id!, { ...facts(), bytes: 1 }, 'older', begun.revision)
    await keepRefusal(db.em(), id!, 'It was damaged.', begun.revision)
    expect((await readSource(db.em(), id!))!).toMatchObject({ state: 'reading', identity: 'identity' })
    await keepFacts(
      db.em(),
      db.queue,
      id!,
      { ...facts(), bytes: 2 },
      'newer',
      (await readSource(db.em(), id!))!.revision,
    )
    expect((await readSource(db.em(), id!))!).toMatchObject({ state: 'ready', identity: 'newer', facts: { bytes: 2 } })
  })

  test('a measurement does not count when the source was read anew or measured anew meanwhile', async () => {
    await db.fresh()
    const {
      sourceIds: [id],
    } = await makeOrder(db, ['a.mp4'])
    const older = (await beginMeasuring(db.em(), id!))!
    await stopMeasuring(db.em(), [id!])
    await askToMeasure(db.em(), db.queue, [id!], 'deep')
    const newer = (await beginMeasuring(db.em(), id!))!
    expect(await keepMeasuringPart(db.em(), older, 0.5)).toBe(false)
    await keepMeasuringFailure(db.em(), older, 'It broke off.')
    await keepSourceMeasurement(db.em(), older, measurement(3), older.facts!, [])
    expect((await readSource(db.em(), id!))!).toMatchObject({ measureState: 'measuring' })
    await keepSourceMeasurement(db.em(), newer, { ...measurement(3), depth: 'deep' }, newer.facts!, [])
    expect((await readSource(db.em(), id!))!).toMatchObject({ measureState: 'ready', measured: { depth: 'deep' } })
  })
})

describe('a sequence whose gap is filled', () => {
  const gapped = { prefix: 'a-', suffix: '.png', padding: 4, first: 1, last: 5, step: 1, missing: [{ from: 3, to: 3 }] }
  const arrival = (sequence: typeof gapped) => ({
    kind: 'sequence' as const,
    volumeId: 1,
    directory: '',
    sequence,
    frameRate: { num: 25, den: 1 },
  })

  test('keeps its name and its source, and is read anew with all its frames', async () => {
    await db.fresh()
    const { order } = await makeOrder(db, [])
    const {
      brought: [source],
    } = await bringIn(db.em(), db.queue, order.id, [arrival(gapped)])
    await keepFacts(db.em(), db.queue, source!.id, facts(), 'with a gap')
    expect((await bringIn(db.em(), db.queue, order.id, [arrival(gapped)])).alreadyThere).toBe(1)
    expect((await readSource(db.em(), source!.id))!.state).toBe('ready')
    await bringIn(db.em(), db.queue, order.id, [arrival({ ...gapped, missing: [] })])
    expect(await listSources(db.em(), { orderId: order.id })).toMatchObject([
      { id: source!.id, state: 'reading', sequence: { missing: [] } },
    ])
  })
})

describe('a sequence that is not complete', () => {
  test('keeps the number of its last frame, which lies behind those that are here', async () => {
    await db.fresh()
    const { order, source } = await makeOrder(db, [])
    const sequence = { prefix: 'r-', suffix: '.png', padding: 4, first: 1, last: 48, missing: [] }
    const { brought } = await bringIn(db.em(), db.queue, order.id, [
      { kind: 'sequence', volumeId: source.id, directory: '', sequence, frameRate: rational(24) },
      { kind: 'file', volumeId: source.id, path: 'a.mp4' },
    ])
    expect(brought[0]!.expectedLast).toBe(null)
    expect((await expectLastFrame(db.em(), brought[0]!.id, 72)).expectedLast).toBe(72)
    await expect(expectLastFrame(db.em(), brought[0]!.id, 47)).rejects.toThrow(
      'Frame 48 is here already; the last one cannot be 47.',
    )
    await expect(expectLastFrame(db.em(), brought[1]!.id, 9)).rejects.toThrow(
      'Only a sequence of pictures has a last frame to be expected.',
    )
    // It grows without losing what was said of it.
    await bringIn(db.em(), db.queue, order.id, [
      {
        kind: 'sequence',
        volumeId: source.id,
        directory: '',
        sequence: { ...sequence, last: 60 },
        frameRate: rational(24),
      },
    ])
    expect((await listSources(db.em(), { ids: [brought[0]!.id] }))[0]).toMatchObject({
      name: 'r-[0001-0060].png',
      expectedLast: 72,
    })
    expect((await expectLastFrame(db.em(), brought[0]!.id, null)).expectedLast).toBe(null)
  })
})

describe('drafts of what was measured', () => {
  const playbackBox = async (sourceId: number, deliveryId: number) =>
    (await draftJobs(db.em(), db.queue, [{ sourceId, specKey: 'playback-box' }], deliveryId)).jobs[0]!

  test('follow the fields that were seen, not the flag, and say what is left in until a step is added', async () => {
    await db.fresh()
    const {
      order,
      delivery,
      sourceIds: [one],
    } = await makeOrder(db, ['a.mpg'], undefined, discFacts)
    await askToMeasure(db.em(), db.queue, [one!], 'sampled')
    await keepMeasured(one!, measurement(5), [])
    expect(discFacts.video!.scan).toMatchObject({ firstField: 'top' })

    const before = await playbackBox(one!, delivery.id)
    expect((await readJob(db.em(), before.id)).treatment.steps).toContainEqual(
      expect.objectContaining({ kind: 'deinterlace', firstField: 'bottom' }),
    )
    expect(before.leftIn.map(entry => entry.step.kind)).toContain('denoise')

    const {
      jobs: [after],
      refused,
    } = await addStep(db.em(), db.queue, before.id, newStep('denoise'))
    expect(refused).toEqual([])
    expect(after!.leftIn.map(entry => entry.step.kind)).not.toContain('denoise')
    expect(after).toMatchObject({ id: before.id, treatmentName: 'Lot B as found v1' })
    expect((await listLots(db.em(), order.id, []))[0]!.treatmentId).not.toBeNull()

    // The same step again is the same treatment, not a version more.
    expect((await addStep(db.em(), db.queue, before.id, newStep('denoise'))).jobs[0]!.treatmentName).toBe(
      'Lot B as found v1',
    )
    await actOnJobs(db.em(), [before.id], 'release')
    await expect(addStep(db.em(), db.queue, before.id, newStep('denoise'))).rejects.toThrow(
      'only drafts can be given a step',
    )
  })
})
