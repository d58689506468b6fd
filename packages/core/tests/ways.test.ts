import { describe, expect, test } from 'vitest'
import { plentyXpsnr, WaysAsked, waysOf, type JobOutline, type Machine, type WaysGround } from '../src/index.ts'
import { atOnce } from '../../../tests/support/at-once.ts'
import { seeded } from '../../../tests/support/seeded.ts'
import { throughTheDay } from '../../../tests/support/shared-machine.ts'
import { around, at, exactly, extent, forecast, inMinutes, job, lanesOnly, minute } from './outlines.ts'

/** Lots of an order that are drafted with several specs: one way of each is chosen within room and time. */
let id = 0
/** A draft. @param way minutes, megabytes and dB (null: identical) of its spec */
const draft = (
  lotId: number | null,
  sourceId: number,
  specKey: string,
  [minutes, megabytes, xpsnr]: readonly [number, number, number | null],
  changes: Partial<JobOutline> = {},
): JobOutline =>
  job({
    ...{ id: ++id, lotId, sourceId, specKey, specName: `Spec ${specKey}` },
    measured: {
      ...forecast(exactly(minutes * minute), exactly(megabytes * 1e6)),
      quality: { xpsnr, worstXpsnr: xpsnr, ssim: 1 },
    },
    ...changes,
  })
/** Lot 1 of two sources, lot 2 of one, each quick and large, or slow and small. */
const drafts = () => [
  draft(1, 11, 'quick', [5, 200, 38]),
  draft(1, 12, 'quick', [5, 200, 38]),
  draft(1, 11, 'slow', [30, 100, 40]),
  draft(1, 12, 'slow', [30, 100, 40]),
  draft(2, 21, 'quick', [5, 200, 42]),
  draft(2, 21, 'slow', [30, 150, 42.5]),
]
const ground = (changes: Partial<WaysGround> = {}): WaysGround => ({
  orderId: 1,
  jobs: drafts(),
  forecasts: { rates: new Map(), calibrations: new Map() },
  machine: lanesOnly(1),
  names: new Map([
    [1, 'Reels'],
    [2, 'Plates'],
  ]),
  volumes: [{ id: 3, freeBytes: 1e9 }],
  ...changes,
})
const found = (asked: Partial<WaysAsked> = {}, changes: Partial<WaysGround> = {}) =>
  atOnce(waysOf(ground(changes), WaysAsked.parse(asked), at))
const chosen = (asked: Partial<WaysAsked> = {}, changes: Partial<WaysGround> = {}) =>
  found(asked, changes).lots.map(lot => lot.chosen)

describe('the ways of lots', () => {
  test('have the time, the bytes and the likeness of all their drafts', () => {
    const { lots, specs } = found()
    expect(specs).toEqual([
      { specKey: 'quick', specName: 'Spec quick', drafts: 3 },
      { specKey: 'slow', specName: 'Spec slow', drafts: 3 },
    ])
    expect(lots.map(({ name, sources, material }) => [name, sources, material])).toEqual([
      ['Reels', 2, 8],
      ['Plates', 1, 4],
    ])
    const [quick, slow] = lots[0]!.ways
    expect(quick).toMatchObject({ specKey: 'quick', jobs: 2, likenessKnown: 2, because: null })
    expect([quick!.seconds.expected, quick!.bytes.expected]).toEqual([600, 400e6])
    expect(quick!.likeness).toBeCloseTo(38, 9)
    expect(slow!.likeness).toBeCloseTo(40, 9)
  })

  test('cannot be chosen where they are not of every source, not measured, or of a smaller picture', () => {
    const small = { extent: { ...extent(100), pixels: 250_000 } }
    const jobs = [
      ...drafts(),
      draft(1, 11, 'some', [1, 1, 50]),
      draft(2, 21, 'unknown', [1, 1, 50], { measured: null, likeKey: null }),
      draft(2, 21, 'unlike', [1, 1, 50], { measured: forecast(exactly(60), exactly(1e6)) }),
      draft(2, 21, 'small', [1, 1, 50], small),
    ]
    const ways = found({}, { jobs }).lots.flatMap(lot => lot.ways)
    const because = (key: string) => ways.find(({ specKey }) => specKey === key)!.because
    expect(because('some')).toBe('1 of 2 sources have no draft with it')
    expect(because('unknown')).toBe('1 of 1 draft is not measured yet')
    expect(because('unlike')).toBe('how like it will be was not measured')
    expect(because('small')).toContain('fewer pixels than that of another way')
    // Their drafts come with every choice, and stay.
    const { besides, others } = found({}, { jobs })
    expect(besides.jobs).toBe(4)
    expect(others).toEqual(jobs.filter(({ specKey }) => specKey === 'quick').map(entry => entry.id))
    expect(chosen({}, { jobs })).toEqual(['slow', 'slow'])
  })

  test('are only those of the specs that a lot may have; other drafts come with every choice', () => {
    const { lots, besides } = found({ specKeys: ['quick'] })
    expect(lots.map(lot => lot.ways.map(({ specKey }) => specKey))).toEqual([['quick'], ['quick']])
    expect([besides.jobs, besides.bytes.expected]).toEqual([3, 350e6])
  })
})

test('sound alone is no other way of a picture: it comes with every choice, and stays', () => {
  const sound = draft(1, 11, 'sound', [1, 5, 0], {
    extent: { ...extent(0), pixels: 0, durationSeconds: 4 },
    measured: forecast(exactly(minute), exactly(5e6)),
  })
  const { specs, lots, besides, others } = found({}, { jobs: [...drafts(), sound] })
  expect(specs.map(({ specKey }) => specKey)).toEqual(['quick', 'slow'])
  expect(lots.map(({ chosen: key, ways }) => [key, ways.length])).toEqual([
    ['slow', 2],
    ['slow', 2],
  ])
  expect(besides).toMatchObject({ jobs: 1, bytes: { expected: 5e6 } })
  expect(others).not.toContain(sound.id)
})

describe('the choice', () => {
  test('keeps most likeness where nothing is in the way', () => {
    const { chosen: sum, mostLikeness, missing, others, lots } = found()
    expect(lots.map(lot => lot.chosen)).toEqual(['slow', 'slow'])
    // By length: 8 s of 40 dB and 4 s of 42.5.
    expect(sum.likeness).toBeCloseTo((8 * 40 + 4 * 42.5) / 12, 9)
    expect(mostLikeness).toBeCloseTo(sum.likeness!, 9)
    expect(sum).toMatchObject({ jobs: 3, lateSeconds: 0, overBytes: 0 })
    expect(sum.end!.expected).toBe(90 * minute)
    expect(missing).toBeNull()
    expect(others).toHaveLength(3)
  })

  test('gives up where it costs least: there is time for one lot to be done slowly', () => {
    // Slow reels and quick plates take 65 min, quick reels and slow plates 40.
    expect(chosen({ dueAt: inMinutes(70) })).toEqual(['slow', 'quick'])
    expect(chosen({ dueAt: inMinutes(60) })).toEqual(['quick', 'slow'])
    expect(chosen({ dueAt: inMinutes(20) })).toEqual(['quick', 'quick'])
  })

  test('follows what lots count', () => {
    const asked = { dueAt: inMinutes(70) }
    expect(chosen({ ...asked, weights: [{ lotId: 1, weight: 0.05 }] })).toEqual(['quick', 'slow'])
    expect(found({ ...asked, weights: [{ lotId: 1, weight: 0 }] }).chosen.likeness).toBeCloseTo(42.5, 9)
  })

  test('keeps to the room that is left beside what is released on the volume', () => {
    const released = [1, 2].map(index =>
      draft(9, 90 + index, 'quick', [0.1, 250, 40], { state: 'waiting', orderId: 2 }),
    )
    const { room, lots, chosen: sum } = found({}, { jobs: [...drafts(), ...released] })
    // 1000 MB less 500.
    expect(room).toBe(500e6)
    expect(lots.map(lot => lot.chosen)).toEqual(['slow', 'slow'])
    expect(sum.bytes.expected).toBe(350e6)
    expect(chosen({ bytes: 420e6, dueAt: inMinutes(80) })).toEqual(['slow', 'quick'])
    expect(found({ bytes: null }, { volumes: [] }).room).toBeNull()
    // What is released to another volume of the same disk takes its room, too; to one of another disk it does not.
    const elsewhere = released.map(job => ({ ...job, deliveryVolumeId: 4 }))
    const roomWith = (disk: string) =>
      found(
        {},
        {
          jobs: [...drafts(), ...elsewhere],
          volumes: [
            { id: 3, freeBytes: 1e9, disk: 'a' },
            { id: 4, freeBytes: 1e9, disk },
          ],
        },
      ).room
    expect([roomWith('a'), roomWith('b')]).toEqual([500e6, 1e9])
  })

  test("leaves time for what waits of all orders, and tells when this order's work is done behind it", () => {
    const before = draft(9, 91, 'quick', [20, 1, 40], { state: 'waiting', orderId: 2 })
    const { lots, chosen: sum } = found({ dueAt: inMinutes(70) }, { jobs: [before, ...drafts()] })
    expect(lots.map(lot => lot.chosen)).toEqual(['quick', 'slow'])
    expect(sum.end!.expected).toBe(60 * minute)
  })

  test('is in time as jobs really fit onto lanes, and not only as a sum', () => {
    // Two lanes have 80 min for 75 min of slow reels and quick plates, of which one lane has 45.
    const machine = lanesOnly(2)
    const jobs = [
      draft(1, 11, 'quick', [5, 200, 38]),
      draft(1, 11, 'slow', [45, 100, 42]),
      draft(2, 21, 'quick', [5, 200, 38]),
      draft(2, 21, 'slow', [30, 100, 40]),
    ]
    const { lots, chosen: sum } = found({ dueAt: inMinutes(40) }, { machine, jobs })
    expect(lots.map(lot => lot.chosen)).toEqual(['quick', 'slow'])
    expect(sum.lateSeconds).toBe(0)
  })

  test('is not kept from a free lane by what another lane does for long after the due time', () => {
    const long = draft(9, 91, 'quick', [600, 1, 40], { state: 'waiting', orderId: 2 })
    const { lots, missing } = found(
      { dueAt: inMinutes(100) },
      { machine: { lanes: 2, cores: 64 }, jobs: [long, ...drafts()] },
    )
    expect(missing).toBeNull()
    expect(lots.map(lot => lot.chosen)).toEqual(['slow', 'slow'])
  })

  test('knows that lanes share cores', () => {
    const busy = (machine: Machine) =>
      chosen(
        { dueAt: inMinutes(65) },
        {
          machine,
          jobs: drafts().map(entry => ({ ...entry, measured: { ...entry.measured!, busyCores: 4 } })),
        },
      )
    expect(busy({ lanes: 2, cores: 8 })).toEqual(['slow', 'slow'])
    expect(busy({ lanes: 2, cores: 4 })).toEqual(['slow', 'quick'])
  })

  test('is what a person wants, and the best of the rest', () => {
    const asked = { dueAt: inMinutes(70), chosen: [{ lotId: 1, specKey: 'quick' }] }
    const { lots, mostLikeness, chosen: sum } = found(asked)
    expect(lots.map(({ chosen: key, isByHand }) => [key, isByHand])).toEqual([
      ['quick', true],
      ['slow', false],
    ])
    expect(mostLikeness).toBeCloseTo(sum.likeness!, 9)
    // What cannot be chosen is not.
    expect(chosen({ chosen: [{ lotId: 1, specKey: 'nothing' }] })).toEqual(['slow', 'slow'])
  })

  test('counts what is identical as much as rounding to 8 bits, and no more', () => {
    const jobs = [draft(1, 11, 'lossless', [5, 900, null]), draft(1, 11, 'fine', [5, 300, 70])]
    expect(found({}, { jobs }).chosen.likeness).toBeCloseTo(plentyXpsnr, 9)
    expect(plentyXpsnr).toBeCloseTo(58.92, 2)
  })
})

describe('held against every choice there is, gone through by the clock', () => {
  const random = (seed: number) => {
    const chance = seeded(seed)
    const [lanes, cores] = [1 + Math.floor(chance() * 3), 2 + Math.floor(chance() * 6)]
    const made = (orderId: number, lotId: number, key: string, state: 'draft' | 'waiting') => {
      const entry = draft(lotId, lotId, key, [1 + 60 * chance() ** 2, 10 + 200 * chance(), 34 + 12 * chance()], {
        ...{ orderId, state },
        extent: { ...extent(50 + Math.floor(chance() * 200)), isDivisible: chance() < 0.3 },
      })
      return { ...entry, measured: { ...entry.measured!, busyCores: 0.3 + chance() * (cores - 0.3) } }
    }
    const released = Array.from({ length: Math.floor(chance() * 4) }, (_, lot) => made(2, 50 + lot, 'x', 'waiting'))
    const own = Array.from({ length: 1 + Math.floor(chance() * 5) }, (_, lot) =>
      ['a', 'b', 'c'].slice(0, 2 + Math.floor(chance() * 2)).map(key => made(1, 1 + lot, key, 'draft')),
    )
    // Sources of a lot are one length, whatever their spec.
    const drafts = own.map(ways => ways.map(entry => ({ ...entry, extent: ways[0]!.extent })))
    const dueMinutes = 10 + 300 * chance()
    const bytes = drafts.length * (50 + 150 * chance()) * 1e6
    return { lanes, cores, released, drafts, dueMinutes, bytes }
  }
  type Case = ReturnType<typeof random>
  const ask = ({ lanes, cores, released, drafts, dueMinutes, bytes }: Case, changes: Partial<WaysAsked> = {}) =>
    found(
      { bytes, dueAt: inMinutes(dueMinutes), ...changes },
      { machine: { lanes, cores }, jobs: [...released, ...drafts.flat()] },
    )
  /** Every choice with its mean likeness, and whether it is in time and finds room. */
  const choices = ({ lanes, cores, released, drafts, dueMinutes, bytes }: Case) => {
    const all = drafts.reduce<JobOutline[][]>(
      (some, ways) => some.flatMap(picks => ways.map(way => [...picks, way])),
      [[]],
    )
    const asJob = ({ id: number, measured, extent: { isDivisible } }: JobOutline) => {
      const seconds = measured!.seconds.expected
      // Segments of a quarter of the work, of a minute where that is less, of a sixteenth where that is more, and 20 s at least; three for each lane are told apart.
      const each = Math.max(20, Math.min(60, seconds / 4), seconds / 16)
      const parts = isDivisible ? Math.min(Math.max(1, Math.floor(seconds / each)), 3 * lanes) : 1
      return { id: number, seconds, busyCores: measured!.busyCores!, parts: lanes > 1 ? parts : 1 }
    }
    return all.map(picks => {
      const jobs = [...released, ...picks.toSorted((a, b) => a.position - b.position)]
      const day = throughTheDay(jobs.map(asJob), lanes, cores)
      const end = Math.max(...picks.map(pick => day.get(pick.id)!.end))
      const material = (pick: JobOutline) => pick.extent.durationSeconds
      const length = picks.reduce((sum, pick) => sum + material(pick), 0)
      return {
        ids: picks.map(pick => pick.id),
        end,
        isWithin:
          end <= dueMinutes * minute + 1e-6 &&
          picks.reduce((sum, { measured }) => sum + measured!.bytes.expected, 0) <= bytes,
        likeness: picks.reduce((sum, pick) => sum + material(pick) * pick.measured!.quality!.xpsnr!, 0) / length,
      }
    })
  }
  const seeds = Array.from({ length: 60 }, (_, seed) => seed)

  test.each(seeds)(
    '(%i) what is chosen comes to what is told of it, and none within the limits is above the bound',
    seed => {
      const drawn = random(seed)
      const answer = ask(drawn)
      const gone = new Set(answer.others)
      const taken = drawn.drafts.flat().flatMap(({ id: number }) => (gone.has(number) ? [] : [number]))
      const all = choices(drawn)
      const mine = all.find(({ ids }) => ids.join() === taken.join())!
      expect(answer.chosen.end!.expected).toBeCloseTo(mine.end, 4)
      expect(answer.chosen.likeness).toBeCloseTo(mine.likeness, 9)
      expect(answer.missing === null).toBe(mine.isWithin)
      const best = Math.max(...all.filter(({ isWithin }) => isWithin).map(({ likeness }) => likeness))
      if (answer.missing === null) {
        expect(answer.mostLikeness).toBeGreaterThanOrEqual(best - 1e-9)
        expect(answer.mostLikeness).toBeGreaterThanOrEqual(mine.likeness - 1e-9)
      }
    },
  )

  test('the best is found in all but a few cases, and one wherever there is one', () => {
    const gaps = seeds.map(seed => {
      const drawn = random(seed)
      const best = Math.max(
        ...choices(drawn)
          .filter(({ isWithin }) => isWithin)
          .map(({ likeness }) => likeness),
      )
      const { missing, chosen: sum } = ask(drawn)
      return missing === null ? best - sum.likeness! : best > 0 ? Number.POSITIVE_INFINITY : 0
    })
    expect(gaps).not.toContain(Number.POSITIVE_INFINITY)
    expect(gaps.filter(gap => gap > 0.01).length).toBeLessThanOrEqual(1)
  })

  test.each(seeds)('(%i) what is told to be missing would do', seed => {
    const drawn = random(seed)
    const { missing } = ask(drawn)
    if (missing?.seconds) {
      const later = ask({ ...drawn, dueMinutes: drawn.dueMinutes + missing.seconds / minute })
      expect(later.missing).toBeNull()
      expect(later.chosen.lateSeconds).toBe(0)
    }
    if (missing?.bytes) expect(ask({ ...drawn, bytes: drawn.bytes + missing.bytes }).missing).toBeNull()
  })
})

describe('where no choice keeps the limits', () => {
  test('it is told what would do, and what misses them least is shown', () => {
    const { missing, mostLikeness, chosen: sum } = found({ bytes: 400e6, dueAt: inMinutes(50) })
    expect(mostLikeness).toBeNull()
    // In 50 min: quick reels and slow plates, 550 MB. Within 400 MB: slow reels and quick plates, 65 min.
    expect(missing!.bytes).toBeCloseTo(150e6, -3)
    // Told as a minute more, because time goes on until it is set.
    expect(missing!.seconds).toBe(16 * minute)
    expect(sum.bytes.expected).toBe(550e6)
    expect(sum.overBytes).toBe(150e6)
  })

  test('nothing of one limit helps where the other is too small for anything', () => {
    expect(found({ bytes: 10e6, dueAt: inMinutes(5) }).missing).toEqual({ bytes: null, seconds: null })
    expect(found({ bytes: 10e6 }).missing!.bytes).toBeCloseTo(340e6, -3)
  })
})

test('the trade-off holds every choice that is the best at some price, by lots', () => {
  const { tradeOffs } = found()
  const points = tradeOffs.map(({ specKeys, seconds, bytes }) => [specKeys.join(), seconds / minute, bytes / 1e6])
  expect(points).toContainEqual(['quick,quick', 15, 600])
  expect(points).toContainEqual(['slow,slow', 90, 350])
  for (const { likeness } of tradeOffs) expect(likeness).toBeGreaterThan(38)
})

test('an order without drafts has nothing to choose, and one whose drafts have one spec no choice', () => {
  expect(found({}, { jobs: [] })).toMatchObject({ specs: [], lots: [], tradeOffs: [], others: [], room: null })
  const one = found({}, { jobs: [draft(1, 11, 'quick', [5, 200, 38])] })
  expect(one.lots[0]).toMatchObject({ chosen: 'quick' })
  expect(one.others).toEqual([])
})

test('without a lane there is no end, and room alone counts', () => {
  const { chosen: sum, lots } = found({ bytes: 420e6 }, { machine: lanesOnly(0) })
  expect(sum.end).toBeNull()
  expect(lots.map(lot => lot.chosen)).toEqual(['slow', 'slow'])
})

test('jobs of the order that are told with a range are told with theirs', () => {
  const jobs = drafts().map(entry => ({
    ...entry,
    measured: { ...entry.measured!, seconds: around(entry.measured!.seconds.expected, 0.2) },
  }))
  const { chosen: sum } = found({}, { jobs })
  expect(sum.seconds.high).toBeGreaterThan(sum.seconds.expected)
  expect(sum.end!.high).toBeGreaterThan(sum.end!.expected)
})
