import { describe, expect, test } from 'vitest'
import { findCourses, nearestRate, pictureCourse, rational, type PacketColumn } from '../src/index.ts'

/** A column of packets that are decoded and shown in order. Times in milliseconds. */
function column(milliseconds: readonly number[], rest: Partial<PacketColumn> = {}): PacketColumn {
  return {
    stream: 0,
    kind: 'picture',
    timeBase: rational(1, 1000),
    pts: [...milliseconds],
    dts: [...milliseconds],
    duration: milliseconds.map(() => 0),
    shows: milliseconds.map(() => 'picture'),
    keys: milliseconds.flatMap((_, packet) => (packet % 10 === 0 ? [{ packet, byte: packet * 1000 }] : [])),
    ...rest,
  }
}
const every = (step: number, count: number, from = 0) =>
  Array.from({ length: count }, (_, index) => Math.round(from + index * step))
const course = (milliseconds: readonly number[], stated = [rational(25)], rest: Partial<PacketColumn> = {}) => {
  const packets = column(milliseconds, rest)
  return pictureCourse(packets, findCourses([packets]).seconds.get(0)!, stated)!
}

describe('the rate that most pictures keep', () => {
  test.each([
    ['25 in whole milliseconds', every(40, 100), rational(25)],
    ['30 in whole milliseconds', every(1000 / 30, 300), rational(30)],
    ['29.97 in whole milliseconds', every(1001 / 30, 3000), rational(30_000, 1001)],
    ['15 in whole milliseconds', every(1000 / 15, 557), rational(15)],
    ['one a second', [0, 1000], rational(1)],
  ])('%s', (_, times, rate) =>
    expect(course(times)).toMatchObject({ rate, rateIs: 'constant', frames: times.length, slots: times.length }),
  )

  test('is not what a damaged head states', () => {
    expect(course(every(40, 200), [rational(1000), rational(90_000)])).toMatchObject({
      rate: rational(25),
      rateIs: 'constant',
    })
  })

  test('between two standard rates that are equally near is the stated one', () => {
    const few = every(1000 / 24, 8)
    expect(course(few, [rational(24_000, 1001)]).rate).toEqual(rational(24_000, 1001))
    expect(course(few, [rational(24)]).rate).toEqual(rational(24))
  })

  test('of film in fields of 2 and 3 is that of the film', () => {
    const field = 1001 / 60
    const fields = Array.from({ length: 2401 }, (_, index) =>
      Math.round((Math.floor(index / 2) * 5 + (index % 2) * 2) * field),
    )
    expect(course(fields, []).rate).toEqual(rational(24_000, 1001))
  })

  test('is the nearest standard one within 0.2 %, and the measured one beyond', () => {
    expect(nearestRate(30.02)).toEqual(rational(30))
    expect(nearestRate(17)).toEqual(rational(17))
    expect(nearestRate(24 * 1.0019)).toEqual(rational(24))
  })
})

describe('gaps', () => {
  test('of one long interval leave the rate what it is', () => {
    const times = [0, ...every(1000 / 30, 200, 185)]
    const found = course(times, [rational(2702, 100)])
    expect(found).toMatchObject({ rate: rational(30), rateIs: 'constant', frames: 201, gaps: { count: 1 } })
    expect(found.gaps.seconds).toBeCloseTo(0.185 - 1 / 30, 3)
    expect(found.slots).toBe(206)
    expect(found.averageRate).toBeLessThan(29.5)
  })

  test('all over make the rate a variable one', () => {
    const times = every(20, 200).filter((_, index) => index % 7 !== 3 && index % 11 !== 5)
    expect(course(times).rateIs).toBe('variable')
    expect(course(times).averageRate).toBeLessThan(50)
  })
})

test('packets without data are repeats, and hidden ones nothing at all', () => {
  const shows = every(40, 50).map((_, index) => (index % 5 === 4 ? ('repeat' as const) : ('picture' as const)))
  expect(course(every(40, 50), [rational(25)], { shows })).toMatchObject({ frames: 40, repeats: 10, slots: 50 })
  const hidden = every(40, 50).map((_, index) => (index >= 48 ? ('hidden' as const) : ('picture' as const)))
  expect(course(every(40, 50), [rational(25)], { shows: hidden })).toMatchObject({ frames: 48, slots: 48 })
})

test('a clock that counts frames has exact times: frames left out do not slow the rate', () => {
  const counted = every(1, 60).filter(at => at < 10 || at >= 20 || at % 2 === 0)
  expect(course(counted, [rational(25)], { timeBase: rational(1, 25) })).toMatchObject({
    rate: rational(25),
    frames: 55,
    slots: 60,
  })
  const packets = column(counted, { timeBase: rational(1, 25) })
  expect(pictureCourse(packets, findCourses([packets]).seconds.get(0)!, [], true)).toMatchObject({
    frames: 55,
    repeats: 5,
    gaps: { count: 0 },
  })
})

describe('jumps', () => {
  const sound = (milliseconds: readonly number[]) => column(milliseconds, { stream: 1, kind: 'sound' })

  test('back, of picture and sound alike, move both by the same', () => {
    const picture = column([...every(40, 57), ...every(40, 60, 40)])
    const { jumps, courses, seconds } = findCourses([picture, sound([...every(24, 95), ...every(24, 100, 40)])])
    expect(jumps).toHaveLength(1)
    expect(jumps[0]).toMatchObject({ of: 'picture and sound' })
    expect(jumps[0]!.by).toBeCloseTo(-2.24, 2)
    expect(courses.map(entry => entry.stream)).toEqual([0, 1])
    expect(courses[0]!.shifts).toEqual([{ packet: 57, ticks: 2240 }])
    expect(courses[1]!.shifts[0]!.ticks).toBe(2240)
    const times = seconds.get(0)! as number[]
    expect(times.every((at, index) => index === 0 || at > times[index - 1]!)).toBe(true)
    expect(pictureCourse(picture, times, [])).toMatchObject({ frames: 117, slots: 117, rateIs: 'constant' })
  })

  test('ahead count where the sound leaps too, and are gaps where it goes on', () => {
    const leaping = [...every(40, 50), ...every(40, 50, 9000)]
    expect(findCourses([column(leaping), sound([...every(24, 84), ...every(24, 84, 9000)])]).jumps).toHaveLength(1)
    const alone = findCourses([column(leaping), sound(every(24, 500))])
    expect(alone.jumps).toEqual([])
    expect(pictureCourse(column(leaping), alone.seconds.get(0)!, [])!.gaps.count).toBe(1)
  })

  test('ahead without any sound are believed from ten seconds on', () => {
    expect(findCourses([column([...every(40, 50), ...every(40, 50, 9000)])]).jumps).toEqual([])
    expect(findCourses([column([...every(40, 50), ...every(40, 50, 95_443_000)])]).jumps).toHaveLength(1)
  })

  test('are not seen in pictures that are shown in another order than decoded', () => {
    const pts = Array.from({ length: 60 }, (_, index) => (Math.floor(index / 4) * 4 + [4, 2, 1, 3][index % 4]!) * 40)
    const packets = column(every(40, 60), { pts, dts: every(40, 60).map((at, index) => (index < 2 ? null : at - 80)) })
    expect(findCourses([packets])).toMatchObject({ jumps: [], courses: [] })
  })

  test('have places behind them for reading to begin with, by their moved times', () => {
    const [found] = findCourses([column([...every(40, 57), ...every(40, 60, 40)])]).courses
    expect(found!.places.find(place => place.packet === 60)).toMatchObject({ byte: 60_000, ticks: 60 * 40 })
  })
})

test('a stream without times of its own is numbered', () => {
  const packets = column(every(40, 162), { timeBase: rational(1, 1_200_000) })
  const { courses, seconds } = findCourses([packets], new Map([[0, 1 / 30]]))
  expect(courses[0]!.step).toBeCloseTo(40_000, 6)
  expect(pictureCourse(packets, seconds.get(0)!, [rational(30)])).toMatchObject({
    rate: rational(30),
    frames: 162,
    seconds: 5.4,
  })
})
