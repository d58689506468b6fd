import { mkdir, readdir, readFile, rm } from 'node:fs/promises'
import path from 'node:path'
import { newStep, type TrialRecord } from '@hematine/core'
import { askForTrials, keepAsset, listTrials, registerVolume, removeTrials, setMoments } from '@hematine/database'
import sharp from 'sharp'
import { afterEach, beforeAll, beforeEach, expect, test } from 'vitest'
import { useDatabase } from '../../../tests/support/database.ts'
import { writeCountingClip } from '../../../tests/support/material.ts'
import { patience } from '../../../tests/support/patience.ts'
import { KnownTape, newRound, type Round } from '../../../tests/support/rounds.ts'
import { scratchDirectory } from '../../../tests/support/scratch.ts'
import { TestWorker, useBuiltWorker } from '../../../tests/support/worker.ts'

/** Trials by a real worker: looks first, then moments one by one, through kill -9 and removal. */

const db = useDatabase()
useBuiltWorker()
const scratch = scratchDirectory()
const clip = path.join(scratch, 'clip.mkv')
let round = 0
let known: KnownTape
let made: Round
let working: string
let orderId: number
let sourceId: number
let workers: TestWorker[] = []

function startWorker(): TestWorker {
  const worker = new TestWorker(db.url, path.join(scratch, 'data'), `worker ${workers.length + 1}`)
  workers.push(worker)
  return worker
}

let marker: string
beforeAll(async () => {
  await writeCountingClip(clip, 150, { size: '160x120', tone: true })
  known = await KnownTape.read(clip)
})
beforeEach(async () => {
  await db.fresh()
  made = await newRound(db, scratch, ['T', ++round], known)
  ;({ orderId, sourceId } = made)
  working = path.join(scratch, `working-${round}`)
  await mkdir(working)
  ;({ marker } = await registerVolume(db.em(), { name: 'Working', role: 'working', path: working }))
  startWorker()
  await setMoments(db.em(), sourceId, [
    { reason: 'by hand', from: 0.4, to: 0.8 },
    { reason: 'by hand', from: 2, to: 2.6 },
  ])
})
afterEach(async () => {
  await Promise.all(workers.map(worker => worker.end('SIGKILL')))
  workers = []
})

const trials = () => listTrials(db.em(), { orderId })
const untilReady = () =>
  expect.poll(async () => (await trials()).every(trial => trial.state === 'ready'), patience).toBe(true)
const inTrials = (...parts: string[]) => path.join(working, '.hematine', marker, 'trials', ...parts)

const ask = (...steps: Parameters<typeof askForTrials>[4][number]['steps'][]) => askWith('small-mp4', ...steps)
async function askWith(
  specKey: string,
  ...steps: Parameters<typeof askForTrials>[4][number]['steps'][]
): Promise<TrialRecord[]> {
  return (
    await askForTrials(
      db.em(),
      db.queue,
      sourceId,
      specKey,
      steps.map((list, index) => ({ label: `variant ${index}`, steps: list })),
    )
  ).trials
}

test('variants are tried with the looks first; figures, files and sheets are there, and the source is as it was', async () => {
  const before = await readFile(path.join(made.volumes.source, 'tape.mkv'))
  const [learned] = await ask(
    [newStep('learned')],
    [newStep('denoise'), { kind: 'speed', factor: 0.5, between: 'repeat', cutThreshold: 10 }],
  )
  await expect.poll(async () => (await trials()).find(trial => trial.id === learned!.id)!.looks, patience).toBe(2)
  await untilReady()
  const [first, second] = await trials()
  // 10 frames of 0.4 s and 15 of 0.6 s; at half the speed twice as many.
  expect(first!.results.map(result => result!.frames)).toEqual([10, 15])
  expect(second!.results.map(result => result!.frames)).toEqual([20, 30])
  expect(first!.results[0]!.steps.map(step => step.name)).toContain('Enlarge, learned, 2x, clean, fast')
  expect(first!.results[0]!.devices).toEqual({ 'clean-fast': 'cpu' })
  expect(first!.results[0]!.ssim!).toBeGreaterThan(0.8)
  for (const { seconds, checkSeconds, bytes } of first!.results.map(result => result!))
    expect(seconds > 0 && checkSeconds! > 0 && bytes > 1000).toBe(true)
  expect((await readdir(inTrials(String(first!.id)))).sort()).toEqual([
    'moment-0.jpg',
    'moment-0.sheet',
    'moment-0.wav',
    'moment-1.jpg',
    'moment-1.sheet',
    'moment-1.wav',
    'result-0.mp4',
    'result-1.mp4',
  ])
  const sheet = await readFile(inTrials(String(first!.id), 'moment-1.sheet'))
  const header = JSON.parse(sheet.subarray(4, 4 + sheet.readUInt32LE(0)).toString()) as {
    width: number
    height: number
    frames: { at: number; bytes: number; seconds: number }[]
  }
  expect(header).toMatchObject({ width: 320, height: 240 })
  expect(header.frames.map(frame => frame.seconds)).toEqual(
    Array.from({ length: 15 }, (_, index) => expect.closeTo(index / 25, 3)),
  )
  expect(4 + sheet.readUInt32LE(0) + header.frames.at(-1)!.at + header.frames.at(-1)!.bytes).toBe(sheet.length)
  // The source's own pictures and sound are kept once for both variants.
  expect(
    (await readdir(inTrials()))
      .filter(name => name.startsWith('source-'))
      .map(name => path.extname(name))
      .sort(),
  ).toEqual(['.sheet', '.sheet', '.wav', '.wav'])
  // Neither variant does anything to the sound, so it is as loud as it was; the moment of 0.6 s takes 1.2 s at half the speed.
  for (const { loudness } of [first!, second!].flatMap(trial => trial.results.map(result => result!)))
    expect(Math.abs(loudness!.after! - loudness!.before!)).toBeLessThan(1)
  expect(((await readFile(inTrials(String(second!.id), 'moment-1.wav'))).length - 44) / 4 / 48_000).toBeCloseTo(1.2, 1)
  expect(Buffer.compare(await readFile(path.join(made.volumes.source, 'tape.mkv')), before)).toBe(0)
})

test('sound alone is tried as well: it is heard, and drawn in place of pictures', async () => {
  const [trial] = await askWith('sound-flac', [{ kind: 'loudness', target: -16 }])
  await untilReady()
  const { results, looks } = (await trials())[0]!
  expect(looks).toBe(2)
  // The moments, to the end of the coded block that they end in: 4608 samples.
  for (const [index, seconds] of [0.4, 0.6].entries())
    expect(results[index]!.soundSeconds! - seconds).toBeLessThan(4608 / 48_000)
  expect(results[0]).toMatchObject({
    frames: 0,
    before: null,
    after: null,
    signalToNoise: null,
    loudness: { before: expect.any(Number), after: expect.any(Number) },
  })
  expect((await readdir(inTrials(String(trial!.id)))).sort()).toEqual([
    'moment-0.jpg',
    'moment-0.sheet',
    'moment-0.wav',
    'moment-1.jpg',
    'moment-1.sheet',
    'moment-1.wav',
    'result-0.flac',
    'result-1.flac',
  ])
  expect(await sharp(inTrials(String(trial!.id), 'moment-0.jpg')).metadata()).toMatchObject({ width: 960, height: 540 })
})

test('after kill -9 of the worker the moments that were done stay, and the others are done once', async () => {
  const [trial] = await ask([newStep('denoise'), newStep('learned')])
  await expect.poll(async () => (await trials())[0]!.results[0], patience).not.toBeNull()
  const done = (await trials())[0]!.results[0]
  await workers[0]!.end('SIGKILL')
  startWorker()
  await untilReady()
  expect((await trials())[0]!.results[0]).toEqual(done)
  expect((await readdir(inTrials(String(trial!.id)))).filter(name => name.endsWith('.part'))).toEqual([])
})

test('one that is removed ends, and its files go with the next start', async () => {
  const [trial] = await ask([newStep('learned')])
  await expect.poll(async () => (await trials())[0]!.looks, patience).toBeGreaterThan(0)
  await removeTrials(db.em(), [trial!.id])
  await expect.poll(() => workers[0]!.taskProcesses, patience).toEqual([])
  await workers[0]!.end()
  startWorker()
  await expect.poll(async () => readdir(inTrials()), patience).toEqual([])
})

test('a source that is gone fails its trial with a sentence', async () => {
  await workers[0]!.end()
  await ask([newStep('denoise')])
  await rm(path.join(made.volumes.source, 'tape.mkv'))
  startWorker()
  await expect.poll(async () => (await trials())[0], patience).toMatchObject({ state: 'failed' })
  expect((await trials())[0]!.reason).toMatch(/disk is probably not mounted/)
})

test('a table of the library is used; one that it has not fails the trial with its name', async () => {
  const table = await keepAsset(db.em(), {
    name: 'Turned over',
    kind: 'lookup table',
    about: 'curves of 2',
    data: Buffer.from('LUT_1D_SIZE 2\n1 1 1\n0 0 0\n'),
  })
  const lookup = (asset: { sha256: string; name: string }) => ({
    kind: 'lookup-table' as const,
    asset: { sha256: asset.sha256, name: asset.name },
    strength: 100,
  })
  await ask([lookup(table)], [lookup({ sha256: 'ab'.repeat(32), name: 'Warm evening' })])
  await expect
    .poll(async () => (await trials()).map(trial => trial.state).sort(), patience)
    .toEqual(['failed', 'ready'])
  const [used, missing] = [
    (await trials()).find(trial => trial.state === 'ready')!,
    (await trials()).find(trial => trial.state === 'failed')!,
  ]
  expect(missing.reason).toBe(
    'The lookup table "Warm evening" is not in the library. Add it again, or take its step out of the treatment.',
  )
  expect(used.results[0]!.steps.map(step => step.name)).toContain('Lookup table, Turned over')
  // The clip brightens from frame to frame; turned over it darkens.
  const sheet = await readFile(inTrials(String(used.id), 'moment-0.sheet'))
  const header = JSON.parse(sheet.subarray(4, 4 + sheet.readUInt32LE(0)).toString()) as {
    frames: { at: number; bytes: number }[]
  }
  const brightness = await Promise.all(
    [header.frames[0]!, header.frames.at(-1)!].map(
      async ({ at, bytes }) =>
        (await sharp(sheet.subarray(4 + sheet.readUInt32LE(0) + at, 4 + sheet.readUInt32LE(0) + at + bytes)).stats())
          .channels[0]!.mean,
    ),
  )
  expect(brightness[0]!).toBeGreaterThan(brightness[1]! + 5)
})
