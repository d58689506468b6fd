import { describe, expect, test } from 'vitest'
import { disksOf, volumeNeeds, type Disk, type JobForecast, type JobOutline } from '../src/index.ts'
import { around, exactly, forecast, job } from './outlines.ts'

const progress = (bytesWritten: number): JobOutline['progress'] => ({
  ...{
    stage: 'encode',
    framesDone: 1,
    framesTotal: 2,
    framesPerSecond: 1,
    timesRealTime: 1,
    secondsLeft: 5,
    part: 0.5,
    bytesWritten,
  },
})
const needs = (jobs: readonly JobOutline[], bytes: Record<number, JobForecast['bytes']>, disks: readonly Disk[] = []) =>
  volumeNeeds(
    1,
    jobs,
    new Map(Object.entries(bytes).map(([id, range]) => [Number(id), forecast(exactly(1), range)])),
    disks,
  )

describe('what is still to be written', () => {
  test('is added up volume by volume, with what other orders write there', () => {
    const found = needs(
      [
        job({ id: 1 }),
        job({ id: 2, orderId: 2, state: 'waiting' }),
        job({ id: 3, deliveryVolumeId: 4, state: 'waiting' }),
        job({ id: 4, deliveryVolumeId: 4 }),
      ],
      { 1: exactly(100), 2: exactly(40), 3: exactly(7) },
    )
    expect(found).toEqual([
      { volumeIds: [3], unknown: 0, bytes: exactly(140), ofOthers: exactly(40) },
      { volumeIds: [4], unknown: 1, bytes: exactly(7), ofOthers: exactly(0) },
    ])
  })

  test('is added up for volumes of one disk together', () => {
    const jobs = [
      job({ id: 1, deliveryVolumeId: 5, state: 'waiting' }),
      job({ id: 2, deliveryVolumeId: 4, state: 'waiting' }),
      job({ id: 3, orderId: 2, state: 'waiting' }),
    ]
    const disks = disksOf([
      { id: 3, freeBytes: 500, disk: 'x' },
      { id: 4, freeBytes: 90, disk: 'y' },
      { id: 5, freeBytes: 499, disk: 'x' },
      { id: 6, freeBytes: null, disk: null },
    ])
    expect(disks).toEqual([
      { volumeIds: [3, 5], freeBytes: 499 },
      { volumeIds: [4], freeBytes: 90 },
      { volumeIds: [6], freeBytes: null },
    ])
    expect(needs(jobs, { 1: exactly(100), 2: exactly(7), 3: exactly(40) }, disks)).toEqual([
      { volumeIds: [5, 3], unknown: 0, bytes: exactly(140), ofOthers: exactly(40) },
      { volumeIds: [4], unknown: 0, bytes: exactly(7), ofOthers: exactly(0) },
    ])
  })

  test('is without what lies there already: of a running job, and of a result that is being placed', () => {
    const found = needs(
      [
        job({ id: 1, state: 'running', progress: progress(60) }),
        job({ id: 2, state: 'running', progress: progress(500) }),
        job({ id: 3, state: 'placing' }),
      ],
      { 1: around(100, 0.1), 2: around(100, 0.1), 3: exactly(100) },
    )
    expect(found).toHaveLength(1)
    expect(found[0]!.bytes.expected).toBeCloseTo(40)
    expect(found[0]!.bytes.high).toBeCloseTo(50)
    expect(found[0]!.bytes.low).toBeCloseTo(30)
  })

  test('is nothing where nothing is planned', () => {
    expect(needs([], {})).toEqual([])
  })
})
