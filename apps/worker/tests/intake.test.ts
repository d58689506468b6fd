import { appendFile, copyFile, mkdir, readdir, readFile, stat, writeFile } from 'node:fs/promises'
import path from 'node:path'
import { rational, type SourceRecord } from '@hematine/core'
import {
  addDrive,
  askToMeasure,
  beginCopy,
  beginScan,
  beginWatch,
  changeDrive,
  createOrder,
  draftJobs,
  endWatch,
  listCopies,
  listJobs,
  listLots,
  listScans,
  listSources,
  registerVolume,
  stopCopy,
  stopMeasuring,
} from '@hematine/database'
import { afterEach, beforeAll, beforeEach, describe, expect, test } from 'vitest'
import { useDatabase } from '../../../tests/support/database.ts'
import { writeClip, writeCountingClip } from '../../../tests/support/material.ts'
import { patience } from '../../../tests/support/patience.ts'
import { writeDiscFolder, writeDiscImage, type CellClip } from '../../../packages/demo/src/disc/write-disc.ts'
import { scratchDirectory } from '../../../tests/support/scratch.ts'
import { TestWorker, useBuiltWorker } from '../../../tests/support/worker.ts'

/** Real workers that go through folders, read, measure and group, with processes killed on the way. */

const db = useDatabase()
useBuiltWorker()
const scratch = scratchDirectory()
const clip = path.join(scratch, 'clip.mkv')
let round = 0
let root: string
let orderId: number
let volumeId: number
let workers: TestWorker[] = []

const rate = rational(24)

beforeAll(() => writeCountingClip(clip, 20, { size: '160x120', tone: true }))
beforeEach(async () => {
  await db.fresh()
  root = path.join(scratch, `volume-${++round}`)
  await mkdir(root, { recursive: true })
  orderId = (await createOrder(db.em(), { code: 'I', name: 'Intake', dueAt: null })).id
  volumeId = (await registerVolume(db.em(), { name: 'Sources', role: 'source', path: root })).id
})
afterEach(async () => {
  await Promise.all(workers.map(worker => worker.end('SIGKILL')))
  workers = []
})

function startWorker(): TestWorker {
  const worker = new TestWorker(db.url, path.join(scratch, 'data'), `worker ${workers.length + 1}`)
  workers.push(worker)
  return worker
}

async function put(name: string): Promise<void> {
  await mkdir(path.dirname(path.join(root, name)), { recursive: true })
  await copyFile(clip, path.join(root, name))
}

const sources = () => listSources(db.em(), { orderId })
const scan = () => beginScan(db.em(), db.queue, { orderId, volumeId, path: '', frameRate: rate })
const settled = (source: SourceRecord) =>
  source.state !== 'reading' && !['waiting', 'measuring'].includes(source.measureState)
const untilSettled = (count: number) =>
  expect
    .poll(async () => {
      const all = await sources()
      return all.length === count && all.every(settled)
    }, patience)
    .toBe(true)

describe('a folder', () => {
  test('becomes sources that are read, measured and in one lot, and the reading processes leave when idle', async () => {
    for (const name of ['a.mkv', 'below/b.mkv', 'below/deep/c.mkv']) await put(name)
    await writeFile(path.join(root, 'notes.mov'), 'Fog from the west.\n'.repeat(60))
    const worker = startWorker()
    await scan()
    await untilSettled(4)
    const all = await sources()
    expect(all.map(source => [source.relativePath, source.state, source.measureState])).toEqual(
      expect.arrayContaining([
        ['a.mkv', 'ready', 'ready'],
        ['below/b.mkv', 'ready', 'ready'],
        ['below/deep/c.mkv', 'ready', 'ready'],
        ['notes.mov', 'refused', 'none'],
      ]),
    )
    expect(all.find(source => source.name === 'notes.mov')!.reason).toContain('cannot be opened')
    expect(await listLots(db.em(), orderId, [])).toMatchObject([{ count: 3 }])
    expect((await listScans(db.em(), { orderId }))[0]).toMatchObject({ state: 'done', directoriesDone: 3, brought: 4 })
    await expect.poll(() => worker.taskProcesses, patience).toEqual([])
  })

  test('is gone through to its end, nothing twice, when the worker is killed on the way', async () => {
    for (let index = 0; index < 60; index++) await put(`box ${index % 12}/reel ${index}.mkv`)
    const first = startWorker()
    await scan()
    await expect
      .poll(async () => (await sources()).filter(source => source.state === 'ready').length, {
        ...patience,
        interval: 20,
      })
      .toBeGreaterThan(3)
    await first.end('SIGKILL')
    startWorker()
    await expect
      .poll(async () => {
        const all = await sources()
        return [
          all.length,
          new Set(all.map(source => source.relativePath)).size,
          all.filter(source => source.state === 'ready').length,
        ]
      }, patience)
      .toEqual([60, 60, 60])
    expect((await listScans(db.em(), { orderId }))[0]).toMatchObject({ state: 'done', brought: 60 })
  })

  test('goes on when a reading process is killed again and again', async () => {
    for (let index = 0; index < 30; index++) await put(`reel ${index}.mkv`)
    const worker = startWorker()
    await scan()
    let killed = 0
    await expect
      .poll(async () => {
        const [pid] = worker.taskProcesses
        // A file that takes its process down three times is given up; on a slow machine all kills may meet the same one.
        if (pid && killed < 2) {
          process.kill(pid, 'SIGKILL')
          killed++
        }
        return (await sources()).filter(source => source.state === 'ready').length
      }, patience)
      .toBe(30)
    expect(killed).toBeGreaterThan(0)
  })
})

test('a reading process that is killed while it is idle is replaced for the next file', async () => {
  await put('first.mkv')
  const worker = startWorker()
  await scan()
  await untilSettled(1)
  const idle = worker.taskProcesses
  expect(idle.length).toBeGreaterThan(0)
  for (const pid of idle) process.kill(pid, 'SIGKILL')
  await put('second.mkv')
  await scan()
  await untilSettled(2)
  expect((await sources()).map(source => source.state)).toEqual(['ready', 'ready'])
})

describe('a watched folder', () => {
  test('brings in a file once it has stopped growing, and no more after the watch has ended', async () => {
    startWorker()
    const watch = await beginWatch(db.em(), { orderId, volumeId, path: '', frameRate: rate })
    const growing = path.join(root, 'capture.mkv')
    await writeFile(growing, 'x')
    for (let step = 0; step < 5; step++) {
      await new Promise(resolve => setTimeout(resolve, 1500))
      await appendFile(growing, 'more')
      expect(await sources()).toEqual([])
    }
    await copyFile(clip, growing)
    await expect
      .poll(async () => (await sources()).map(source => [source.name, source.state]), patience)
      .toEqual([['capture.mkv', 'ready']])
    await endWatch(db.em(), watch.id)
    await put('later.mkv')
    await new Promise(resolve => setTimeout(resolve, 10_000))
    expect(await sources()).toHaveLength(1)
  })

  test('a sequence that is still being rendered keeps its source and grows', async () => {
    startWorker()
    const frames = path.join(root, 'render')
    await mkdir(frames)
    const render = async (first: number, count: number) =>
      writeClip({
        path: path.join(frames, 'r-%04d.png'),
        format: 'image2',
        formatOptions: { start_number: String(first) },
        video: { encoder: 'png', filters: `testsrc2=s=64x48:r=24,trim=end_frame=${count},format=rgb24` },
        audio: [],
      })
    await render(1, 6)
    await beginWatch(db.em(), { orderId, volumeId, path: '', frameRate: rate })
    await expect
      .poll(async () => (await sources()).map(source => [source.name, source.state]), patience)
      .toEqual([['r-[0001-0006].png', 'ready']])
    const [{ id }] = (await sources()) as [SourceRecord]
    await render(7, 6)
    await expect
      .poll(
        async () => (await sources()).map(source => [source.id, source.name, source.facts?.video?.frameCount]),
        patience,
      )
      .toEqual([[id, 'r-[0001-0012].png', 12]])
  })
})

describe('a deep measurement', () => {
  const long = path.join(scratch, 'long.mkv')
  beforeAll(() =>
    writeClip({
      path: long,
      format: 'matroska',
      video: { encoder: 'mpeg4', filters: 'testsrc2=s=640x480:r=25,trim=end_frame=3000,format=yuv420p' },
      audio: [],
    }),
  )
  /** Has the long clip measured as a whole. @returns once that is under way */
  async function begun(): Promise<SourceRecord> {
    await copyFile(long, path.join(root, 'long.mkv'))
    await scan()
    startWorker()
    await untilSettled(1)
    const [source] = (await sources()) as [SourceRecord]
    await askToMeasure(db.em(), db.queue, [source.id], 'deep')
    await expect.poll(async () => (await sources())[0]!.measurePart, { ...patience, interval: 50 }).toBeGreaterThan(0)
    expect((await sources())[0]!.measurePart).toBeLessThan(1)
    return source
  }

  test('pauses for the sample of a draft, which would keep all jobs waiting as long as it takes, and goes on', async () => {
    const { id } = await begun()
    const delivery = path.join(scratch, `delivery-${round}`)
    await mkdir(delivery)
    const to = await registerVolume(db.em(), { name: 'Results', role: 'delivery', path: delivery })
    await draftJobs(db.em(), db.queue, [{ sourceId: id, specKey: 'small-mp4' }], to.id)
    await expect
      .poll(async () => (await listJobs(db.em(), { orderId }))[0]!.sampleState, { ...patience, interval: 50 })
      .toBe('ready')
    // It waited for the sample, and not the sample for it.
    const [{ measureState, measurePart }] = (await sources()) as [SourceRecord]
    expect(measureState).toBe('measuring')
    await expect.poll(async () => (await sources())[0]!.measurePart, patience).toBeGreaterThan(measurePart!)
    await stopMeasuring(db.em(), [id])
    await untilSettled(1)
  })

  test('tells how far it is and ends when it is told to; the next source is measured all the same', async () => {
    const { id, findings } = await begun()
    await stopMeasuring(db.em(), [id])
    await put('next.mkv')
    await scan()
    await untilSettled(2)
    const all = await sources()
    expect(all.find(source => source.id === id)).toMatchObject({
      measureState: 'ready',
      measured: { depth: 'sampled' },
      findings,
    })
    expect(all.find(source => source.id !== id)!.measureState).toBe('ready')
  })
})

describe('a disc in the stand-in drive', () => {
  const shelf = path.join(scratch, 'shelf')
  const cell = (level: number, frames: number): CellClip => ({
    video: `nullsrc=s=720x576:r=25,format=yuv420p,geq=lum='${level}+N+20*sin(X/9)':cb=128:cr=128,trim=end_frame=${frames},setsar=16/15`,
    frames,
    audio: [],
  })
  let image: string

  beforeAll(async () => {
    await mkdir(shelf, { recursive: true })
    image = path.join(shelf, 'Survey.iso')
    await writeDiscFolder(path.join(scratch, 'survey'), [
      { standard: 'PAL', aspect: '4:3', interlaced: false, languages: [], cells: [cell(60, 100)], titles: [[0]] },
    ])
    await writeDiscImage(image, path.join(scratch, 'survey'), 'SURVEY')
  })

  test('is read in through a kill of the worker; its unreadable sectors are a finding of the title', async () => {
    const sectors = (await stat(image)).size / 2048
    const bad = [{ from: Math.round(sectors * 0.7), to: Math.round(sectors * 0.7) + 3 }]
    const driveId = await addDrive(db.em(), { name: 'Stand-in drive', shelf, speed: 0.3 })
    await changeDrive(db.em(), driveId, { disc: 'Survey.iso', badSectors: bad })
    await writeFile(path.join(root, 'Survey.iso'), "somebody else's")
    const { id } = await beginCopy(db.em(), db.queue, { orderId, driveId, volumeId })
    const copy = async () => (await listCopies(db.em(), { ids: [id] }))[0]!
    const first = startWorker()
    await expect.poll(async () => (await copy()).sectorsDone, patience).toBeGreaterThan(0)
    await first.end('SIGKILL')
    expect((await readdir(root)).filter(name => !name.startsWith('.'))).toEqual(['Survey.iso'])
    startWorker()
    await expect.poll(async () => (await copy()).state, patience).toBe('done')
    expect(await copy()).toMatchObject({ path: 'Survey-2.iso', brought: 1, unreadable: bad, sectorsDone: sectors })
    expect(await readFile(path.join(root, 'Survey.iso'), 'utf8')).toBe("somebody else's")
    const expected = await readFile(image)
    expected.fill(0, bad[0]!.from * 2048, (bad[0]!.to + 1) * 2048)
    expect((await readFile(path.join(root, 'Survey-2.iso'))).equals(expected)).toBe(true)
    await untilSettled(1)
    const [source] = await sources()
    expect(source).toMatchObject({
      name: 'Survey-2.iso title 1',
      state: 'ready',
      facts: { container: 'DVD title', durationSeconds: 4 },
    })
    expect(source!.findings.find(entry => entry.key === 'unreadable')).toMatchObject({
      kind: 'fault',
      value: 4,
      unit: 'sectors',
      suggests: 'Clean the disc and read it again',
    })
    expect(await hidden()).toEqual([])
  })

  /** Files in the volume's work directory. */
  const hidden = async () =>
    (await readdir(path.join(root, '.hematine'), { recursive: true, withFileTypes: true }))
      .filter(entry => entry.isFile())
      .map(entry => entry.name)

  test('that is stopped leaves nothing, whether a worker hears of it at once or comes later', async () => {
    const driveId = await addDrive(db.em(), { name: 'Stand-in drive', shelf, speed: 0.3 })
    await changeDrive(db.em(), driveId, { disc: 'Survey.iso' })
    const begin = async () => {
      const { id } = await beginCopy(db.em(), db.queue, { orderId, driveId, volumeId })
      await expect
        .poll(async () => (await listCopies(db.em(), { ids: [id] }))[0]!.sectorsDone, patience)
        .toBeGreaterThan(0)
      return id
    }
    const first = startWorker()
    await stopCopy(db.em(), await begin())
    await expect.poll(hidden, patience).toEqual([])
    const second = await begin()
    await first.end('SIGKILL')
    await stopCopy(db.em(), second)
    expect(await hidden()).toEqual([`disc-${second}.part`])
    startWorker()
    await expect.poll(hidden, patience).toEqual([])
    expect((await readdir(root)).filter(name => !name.startsWith('.'))).toEqual([])
    expect(await sources()).toEqual([])
  })
})
