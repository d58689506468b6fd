import { describe, expect, test } from 'vitest'
import {
  announcedExtent,
  announcedFacts,
  announcedRate,
  asItIs,
  builtInSpecs,
  forecastAnnounced,
  onlyNamed,
  outlook,
  pictureSpecs,
  soundSpecs,
  WhatIf,
  WorkingHours,
  type AnnouncedItem,
  type KnownOfSpec,
  type PlannedSource,
  type Supposed,
} from '../src/index.ts'
import { atOnce } from '../../../tests/support/at-once.ts'
import { seeded } from '../../../tests/support/seeded.ts'
import { at, exactly, extent, forecast, job, lanesOnly, minute, nothingAnnounced, order } from './outlines.ts'

/** Material that an inventory announces, planned with a spec before it is here. */
const day = 24 * 60 * minute
const small = pictureSpecs.find(({ key }) => key === 'small-mp4')!
const announced = (changes: Partial<PlannedSource> = {}): PlannedSource => ({
  ...onlyNamed('Tape 7'),
  carrier: 'U-matic',
  seconds: 600,
  width: 720,
  height: 576,
  framesPerSecond: 25,
  scan: 'interlaced',
  ...changes,
})
/** A measured source of so many seconds for each million pixels of its result, and bytes, after two to begin. */
const known = (perUnit: number, bytesPerUnit: number, changes: Partial<KnownOfSpec> = {}): KnownOfSpec => {
  const entry = { extent: extent(100), scan: 'interlaced' as const, measurement: { startSeconds: 2 }, ...changes }
  const units = (entry.extent.frames * entry.extent.pixels) / 1e6
  return { ...entry, forecast: forecast(exactly(2 + perUnit * units), exactly(bytesPerUnit * units)) }
}
const of = (entries: readonly KnownOfSpec[], planned = announced(), of = extent(15_000)) => {
  const rate = announcedRate(planned, of, small, entries)
  return rate && forecastAnnounced(rate, of)
}

describe('what is announced', () => {
  test('is a source of that many frames, of which the spec makes what it makes of any', () => {
    expect(announcedFacts(announced())!.video).toMatchObject({ frameCount: 15_000, width: 720, height: 576 })
    // Every field becomes a frame: this spec keeps motion.
    expect(announcedExtent(announced(), small)).toMatchObject({ durationSeconds: 600, container: 'mp4' })
    const sound = soundSpecs.find(({ key }) => key === 'sound-flac')!
    expect(announcedExtent(announced(), sound)).toMatchObject({ frames: 0, pixels: 0, durationSeconds: 600 })
  })

  test('says too little of a moving picture without its length, its frame or its rate; its scan may be left out', () => {
    for (const missing of [{ seconds: null }, { width: null }, { height: null }, { framesPerSecond: null }])
      expect(announcedExtent(announced(missing), small)).toBeNull()
    expect(announcedExtent(announced({ seconds: null, framesPerSecond: null }), small)).toBeNull()
    expect(announcedExtent(announced({ scan: null, codec: 'DV', bytes: 2e9 }), small)).not.toBeNull()
    expect(announcedExtent(announced({ seconds: 0.001 }), small)).toBeNull()
  })
})

describe('what is no moving picture', () => {
  const stillSpec = builtInSpecs.find(({ key }) => key === 'still-png')!
  const soundSpec = soundSpecs.find(({ key }) => key === 'sound-flac')!

  test('is a single picture where a frame is announced, and neither length nor rate; odd sizes too', () => {
    const plate = { ...onlyNamed('Plate 7'), width: 4801, height: 3599 }
    expect(announcedFacts(plate)).toMatchObject({ video: { frameCount: 1, width: 4801 }, audio: [] })
    expect(announcedExtent(plate, stillSpec)).toMatchObject({ frames: 1, pixels: 4801 * 3599 })
    expect(announcedExtent(announced(), stillSpec)).toBeNull()
    expect(announcedExtent(plate, soundSpec)).toBeNull()
    // One frame of a tape is no still, and no film either.
    expect(announcedExtent(announced({ seconds: 0.04 }), small)).toBeNull()
  })

  test('is sound where a length is announced and no frame', () => {
    const reel = { ...onlyNamed('Reel 7'), seconds: 1800 }
    expect(announcedFacts(reel)).toMatchObject({ video: null, durationSeconds: 1800 })
    expect(announcedExtent(reel, soundSpec)).toMatchObject({ frames: 0, durationSeconds: 1800 })
    expect(announcedExtent(reel, small)).toBeNull()
    const measured = { ...extent(0), pixels: 0, durationSeconds: 60 }
    const told = announcedRate(reel, announcedExtent(reel, soundSpec)!, soundSpec, [
      { extent: measured, scan: null, measurement: { startSeconds: 1 }, forecast: forecast(exactly(7), exactly(6e6)) },
    ])!
    // A second of the work is a second of sound: a tenth of a second, and 100 kB.
    expect(forecastAnnounced(told, announcedExtent(reel, soundSpec)!).seconds.low).toBeLessThan(1 + 180)
    expect(forecastAnnounced(told, announcedExtent(reel, soundSpec)!).seconds.high).toBeGreaterThan(1 + 180)
    expect(forecastAnnounced(told, announcedExtent(reel, soundSpec)!).bytes.high).toBeGreaterThan(180e6)
  })

  test('is nothing that can be told where only its name is known', () => {
    expect(announcedFacts(onlyNamed('Box 3'))).toBeNull()
    expect(announcedFacts({ ...onlyNamed('Box 3'), framesPerSecond: 25 })).toBeNull()
  })
})

describe('a forecast of what is announced', () => {
  test('is none before anything was measured with its spec', () => {
    expect(of([])).toBeNull()
    expect(of([known(1, 1, { extent: extent(0) })])).toBeNull()
  })

  test('grows with its frames, apart from what a job takes whatever its length, and says what it is from', () => {
    const one = of([known(0.1, 1000)])!
    const twice = of([known(0.1, 1000)], announced(), extent(30_000))!
    // What is expected of a beginning of two seconds is a little more, because it is not sure.
    expect(2 * one.seconds.expected - twice.seconds.expected).toBeCloseTo(2 * Math.exp(0.3 ** 2 / 2), 6)
    expect(twice.bytes.high).toBeCloseTo(2 * one.bytes.high, 3)
    expect(one.measuredFrom).toBe('not here yet: one measured source with the same spec stands for it')
    expect(of([known(0.1, 1000), known(0.1, 900)])!.measuredFrom).toBe(
      'not here yet: 2 measured sources with the same spec stand for it',
    )
    expect(one.seconds.low).toBeLessThan(2 + 1500)
    expect(one.seconds.high).toBeGreaterThan(2 + 1500)
  })

  test('of a few frames is as unsure as what jobs take to begin', () => {
    const beginning = (startSeconds: number) => known(0.0001, 10, { measurement: { startSeconds } })
    const { seconds } = of([beginning(1), beginning(2), beginning(3)], announced(), extent(2))!
    expect(seconds.low).toBeLessThan(1.1)
    expect(seconds.high).toBeGreaterThan(3)
    expect(seconds.high).toBeLessThan(6)
  })

  test('is from those whose frames are as large and taken the same way, where there are any', () => {
    const like = known(0.1, 1000)
    const large = known(9, 9000, { extent: { ...extent(100), pixels: 8_000_000 } })
    const film = known(5, 5000, { scan: 'progressive' })
    expect(of([like, large, film])).toEqual(of([like]))
    expect(of([large, film])).toEqual(of([film]))
    expect(of([film], announced({ scan: null }))).toEqual(of([film]))
    expect(of([large])!.seconds.expected).toBeGreaterThan(9 * 15_000)
  })

  test('holds what comes nine times out of ten, however few are known, where sources are as unlike as is supposed before', () => {
    for (const count of [1, 2, 5, 40]) {
      let [timesIn, sizesIn] = [0, 0]
      const rounds = 2000
      const random = seeded(count)
      // Box and Muller 1958.
      const normal = () => Math.sqrt(-2 * Math.log(1 - random())) * Math.cos(2 * Math.PI * random())
      for (let round = 0; round < rounds; round++) {
        // As unlike as the prior says: it is worth three sources, so its own doubt is drawn as well.
        const spread = Math.sqrt(3 / (normal() ** 2 + normal() ** 2 + normal() ** 2))
        const draw = () => [0.1 * Math.exp(0.5 * spread * normal()), 1000 * Math.exp(1.2 * spread * normal())] as const
        const told = of(Array.from({ length: count }, () => known(...draw())))!
        const [perUnit, bytes] = draw()
        const [seconds, size] = [2 + perUnit * 15_000, bytes * 15_000]
        timesIn += Number(seconds >= told.seconds.low && seconds <= told.seconds.high)
        sizesIn += Number(size >= told.bytes.low && size <= told.bytes.high)
      }
      for (const held of [timesIn, sizesIn]) expect(held / rounds).toBeCloseTo(0.9, 1)
    }
  })

  test('is no wider than what many that are alike leave open, and what all of it shares is less', () => {
    const many = Array.from({ length: 60 }, (_, index) => known(0.1 * (1 + (index % 3) / 100), 1000))
    const { seconds, carried } = of(many)!
    expect(seconds.high / seconds.low).toBeLessThan(2)
    expect(carried!.timePart).toBeLessThan(0.1)
    expect(of([known(0.1, 1000)])!.carried!.timePart).toBeGreaterThan(0.5)
  })

  test('a size that the result must not pass holds for it, too', () => {
    const capped = { ...extent(15_000), capBytes: 1_000_000 }
    expect(of([known(0.1, 1000)], announced(), capped)!.bytes.high).toBeLessThanOrEqual(1_000_000)
  })
})

describe('announced material in the outlook', () => {
  const items: AnnouncedItem[] = [
    { id: 1, orderId: 1, planned: announced(), specKey: 'small-mp4', likeId: null },
    { id: 2, orderId: 2, planned: announced({ name: 'Tape 8', seconds: null }), specKey: 'small-mp4', likeId: null },
    { id: 3, orderId: 2, planned: announced({ name: 'Tape 9' }), specKey: 'gone', likeId: null },
  ]
  const ground = {
    jobs: [job({ id: 1, orderId: 1, state: 'waiting', measured: forecast(exactly(60 * minute), exactly(100)) })],
    forecasts: { rates: new Map(), calibrations: new Map() },
    machine: lanesOnly(1),
    orders: [order(1, 300), order(2, 300)],
    volumes: [
      { id: 3, freeBytes: 1e12 },
      { id: 4, freeBytes: 1e12 },
    ],
    repeats: { begun: 0, lost: 0 },
    announced: {
      items,
      specs: new Map([[small.key, small]]),
      known: new Map([[small.key, [known(0.0001, 10)]]]),
      likes: new Map(),
    },
  }
  const look = (withAnnounced: boolean) => atOnce(outlook(ground, WhatIf.parse({ withAnnounced }), at))

  test('is counted in any case, and changes nothing until it is to count', () => {
    const without = look(false)
    expect(without.announced).toEqual([
      { orderId: 1, items: 1, unknown: null, undated: 1, lastExpected: null },
      { orderId: 2, items: 2, unknown: null, undated: 2, lastExpected: null },
    ])
    const none = atOnce(outlook({ ...ground, announced: nothingAnnounced }, WhatIf.parse({}), at))
    expect(without).toEqual({ ...none, announced: without.announced })
  })

  test('comes behind all else, ends with its order and fills the volume that the order goes to', () => {
    const found = look(true)
    expect(found.orders).toMatchObject([
      { code: 'SL-1', jobs: 2, unknown: 0 },
      { code: 'SL-2', jobs: 2, unknown: 2, end: null, inTime: null },
    ])
    expect(found.announced).toMatchObject([
      { orderId: 1, items: 1, unknown: 0 },
      { orderId: 2, items: 2, unknown: 2 },
    ])
    expect(found.orders[0]!.end!.expected).toBeGreaterThan(60 * minute)
    expect(found.bars.at(-1)).toMatchObject({ name: 'Tape 7', isDraft: true, orderId: 1 })
    expect(found.sequence).toEqual([1])
    expect(found.volumes.map(({ volumeIds, unknown }) => [volumeIds, unknown])).toEqual([[[3], 2]])
    expect(found.volumes[0]!.bytes.expected).toBeGreaterThan(100)
  })

  describe('that is expected later', () => {
    const after = (minutes: number) => new Date(at.getTime() + minutes * 60_000).toISOString()
    /** Two tapes of the first order, one of which is expected in a day, and an order with nothing but one that is overdue. */
    const expecting = {
      ...ground,
      announced: {
        ...ground.announced,
        items: [
          {
            id: 1,
            orderId: 1,
            planned: announced({ expectedAt: after(day / minute) }),
            specKey: 'small-mp4',
            likeId: null,
          },
          { id: 2, orderId: 1, planned: announced({ name: 'Tape 8' }), specKey: 'small-mp4', likeId: null },
          {
            id: 3,
            orderId: 2,
            planned: announced({ name: 'Tape 9', expectedAt: after(-60) }),
            specKey: 'small-mp4',
            likeId: null,
          },
        ],
      },
    }
    const counted = (changes = {}) => atOnce(outlook(expecting, WhatIf.parse({ withAnnounced: true, ...changes }), at))

    test('is begun when it is, and what is overdue as soon as it can be', () => {
      const { orders, bars, announced: counts } = counted()
      expect(counts).toEqual([
        { orderId: 1, items: 2, unknown: 0, undated: 1, lastExpected: after(day / minute) },
        { orderId: 2, items: 1, unknown: 0, undated: 0, lastExpected: after(-60) },
      ])
      const late = bars.find(({ name }) => name === 'Tape 7')!
      expect(late.from).toBe(day)
      expect(orders[0]!.end!.low).toBeGreaterThan(day)
      expect(orders[1]!.end!.high).toBeLessThan(day)
      // Bars come as they are on the lane, whatever the order in which jobs were given.
      expect(bars.map(({ from }) => from)).toEqual(bars.map(({ from }) => from).sort((a, b) => a - b))
    })

    test('is late by what it comes too late, and that it were here is among what would help', () => {
      const { orders, reliefs } = counted()
      expect(orders[0]!.lateSeconds).toBeGreaterThan(day - 300 * minute)
      expect(orders[0]!.inTime).toBe(0)
      const here = reliefs.find(({ supposed }) => supposed.materialHere)!
      expect(here).toMatchObject({ lateSeconds: 0, late: [] })
      // Nothing that is done here makes it come sooner.
      const changed = ({ supposed }: { supposed: Supposed }) =>
        (Object.keys(asItIs) as (keyof Supposed)[]).filter(
          key => JSON.stringify(supposed[key]) !== JSON.stringify(asItIs[key]),
        )
      expect(reliefs.map(changed)).toEqual([['materialHere'], ['due']])
      const ifSo = counted({ materialHere: true })
      expect(ifSo.orders[0]!.lateSeconds).toBe(0)
      expect(ifSo.orders[0]!.end!.expected).toBeLessThan(day)
    })

    test('out of hours is begun when they begin', () => {
      const hours = WorkingHours.parse({
        zone: 'UTC',
        spans: [{ days: [1, 2, 3, 4, 5, 6, 7], from: '10:00', to: '12:00' }],
      })
      const resting = { ...expecting, machine: { ...expecting.machine, hours: { hours, workOnUntil: null } } }
      const { bars } = atOnce(outlook(resting, WhatIf.parse({ withAnnounced: true }), at))
      // It is eight in the morning now, and when it comes.
      expect(bars.find(({ name }) => name === 'Tape 7')!.from).toBe(day + 120 * minute)
    })
  })
})
