import { describe, expect, test } from 'vitest'
import {
  datedFrom,
  describeDated,
  describeHours,
  HoursSetting,
  OpenTime,
  WorkingHours,
  type DatedHours,
  type WorkingSpan,
} from '../src/index.ts'
import { wallClock } from '../../../tests/support/wall-clock.ts'
import { seeded } from '../../../tests/support/seeded.ts'

/** When jobs are worked on: hours of the week in a time zone, and open time by the clock. */
const hour = 3600
const everyDay = [1, 2, 3, 4, 5, 6, 7]
const nights: WorkingSpan = { days: everyDay, from: '19:00', to: '07:00' }
const inZone = (zone: string, ...spans: WorkingSpan[]): WorkingHours => WorkingHours.parse({ zone, spans })
const from = (at: string, hours: WorkingHours | null, workOnUntil: string | null = null) =>
  new OpenTime(new Date(at), { hours, workOnUntil })
const oslo = inZone('Europe/Oslo', nights)

describe('hours of the week', () => {
  test('are told as a person says them', () => {
    const words = (...spans: WorkingSpan[]) => describeHours({ spans })
    expect(words(nights)).toBe('Mon to Sun 19:00 to 07:00')
    expect(
      words({ days: [1, 2, 3, 4], from: '19:00', to: '07:30' }, { days: [6, 7], from: '00:00', to: '00:00' }),
    ).toBe('Mon to Thu 19:00 to 07:30, Sat, Sun all day')
    expect(words({ days: [5, 1, 3, 2], from: '20:00', to: '20:00' })).toBe('Mon to Wed, Fri 20:00 to 20:00')
  })

  test('that are none are refused, each with its sentence', () => {
    const wrong = (spans: unknown, zone = 'Europe/Oslo') =>
      WorkingHours.safeParse({ zone, spans }).error?.issues.map(({ message }) => message)
    expect(wrong([{ days: [1], from: '7 pm', to: '24:00' }])).toEqual([
      'is no time of day; write it like 19:00',
      'is no time of day; write it like 19:00',
    ])
    expect(wrong([{ days: [], from: '19:00', to: '07:00' }])).toEqual(['has no day'])
    expect(wrong([])).toEqual(['have no day'])
    expect(wrong([nights], 'Skerry/Rock')).toEqual(['is no time zone'])
    expect(HoursSetting.safeParse({ hours: null, workOnUntil: 'tomorrow' }).success).toBe(false)
  })
})

describe('hours of dates', () => {
  const none = (first: string, last = first): DatedHours => ({ first, last, times: null })

  test('are told as a person says them', () => {
    expect(describeDated(none('2026-12-24'))).toBe('24 Dec 2026 no work')
    expect(describeDated(none('2026-12-24', '2026-12-26'))).toBe('24 to 26 Dec 2026 no work')
    expect(describeDated(none('2026-11-30', '2026-12-02'))).toBe('30 Nov to 2 Dec 2026 no work')
    const over = { first: '2026-12-31', last: '2027-01-01' }
    expect(describeDated({ ...over, times: { from: '00:00', to: '00:00' } })).toBe('31 Dec 2026 to 1 Jan 2027 all day')
    expect(describeDated({ ...over, last: over.first, times: { from: '08:00', to: '12:00' } })).toBe(
      '31 Dec 2026 08:00 to 12:00',
    )
  })

  test('are told until they are over by the clock of their zone, the next ones first', () => {
    const dates = [none('2027-01-01'), none('2026-12-24', '2026-12-26'), none('2026-12-20')]
    // An hour before midnight UTC it is the 27th in Oslo.
    const told = (at: string) => datedFrom({ ...oslo, dates }, new Date(at)).map(({ first }) => first)
    expect(told('2026-12-21T12:00:00Z')).toEqual(['2026-12-24', '2027-01-01'])
    expect(told('2026-12-26T22:30:00Z')).toEqual(['2026-12-24', '2027-01-01'])
    expect(told('2026-12-26T23:30:00Z')).toEqual(['2027-01-01'])
  })

  test('that are none are refused, each with its sentence', () => {
    const wrong = (...dates: unknown[]) =>
      WorkingHours.safeParse({ ...oslo, dates }).error?.issues.map(({ path, message }) => [path.join(), message])
    expect(wrong(none('24.12.2026', '2026-12-24'))).toEqual([['dates,0,first', 'is no date; write it like 2026-12-24']])
    expect(wrong(none('2026-02-30'))).toEqual([
      ['dates,0,first', 'is no date; write it like 2026-12-24'],
      ['dates,0,last', 'is no date; write it like 2026-12-24'],
    ])
    expect(wrong(none('2026-12-24', '2026-12-23'))).toEqual([['dates,0,last', 'comes before the first day']])
    expect(wrong(none('2026-12-24', '2026-12-26'), none('2026-12-28'), none('2026-12-26', '2026-12-27'))).toEqual([
      ['dates,2', 'has a day that another one has, too'],
    ])
  })

  test('hold from midnight to midnight: the night before ends where they begin', () => {
    const hours = { ...oslo, dates: [none('2026-12-02')] }
    // Tuesday 1 December, 17:00 in Oslo; the night would have gone on to seven on Wednesday, and begun again at 19:00.
    const time = from('2026-12-01T16:00:00Z', hours)
    expect(time.closedIn(40 * hour)).toEqual([
      { from: 0, to: 2 * hour },
      { from: 7 * hour, to: 40 * hour },
    ])
    // Thursday has the hours of the week, but no night before it.
    expect(time.beginOf(5 * hour)).toBe((24 + 24 + 2) * hour)
  })

  test('work all day, over the nights on either side', () => {
    const whole = { first: '2026-12-05', last: '2026-12-06', times: { from: '00:00', to: '00:00' } }
    // Friday 4 December, 17:00 in Oslo: from 19:00 on to Monday at midnight, where Sunday's own hours end, and Monday has no night before it.
    const time = from('2026-12-04T16:00:00Z', { ...oslo, dates: [whole] })
    expect(time.closedIn(80 * hour)).toEqual([
      { from: 0, to: 2 * hour },
      { from: 55 * hour, to: 74 * hour },
    ])
  })

  test('on a date beside a week that leaves nothing out, all else is open for good', () => {
    const week = inZone('UTC', { days: everyDay, from: '00:00', to: '00:00' })
    const time = from('2026-12-23T12:00:00Z', { ...week, dates: [none('2026-12-24', '2026-12-25')] })
    expect(time.isAlways).toBe(false)
    expect(time.closedIn(1e9)).toEqual([{ from: 12 * hour, to: 60 * hour }])
    expect(time.now).toEqual({ isOpen: true, changesAt: '2026-12-24T00:00:00.000Z' })
    expect(time.endOf(1e9)).toBe(1e9 + 48 * hour)
    // Once it is over it is as if it had not been.
    expect(from('2026-12-27T12:00:00Z', { ...week, dates: [none('2026-12-24')] }).now).toEqual({
      isOpen: true,
      changesAt: null,
    })
  })
})

describe('open time', () => {
  test('goes on over the night, and stands still by day', () => {
    // Monday, 17:00 in Oslo.
    const time = from('2026-11-30T16:00:00Z', oslo)
    expect([0, 2, 3, 14, 20, 26, 27].map(clock => time.openOf(clock * hour) / hour)).toEqual([0, 0, 1, 12, 12, 12, 13])
    // Twelve hours of work are over at seven in the morning; what comes after them begins in the evening.
    expect([1, 12, 12.5].map(open => time.endOf(open * hour) / hour)).toEqual([3, 14, 26.5])
    expect([0, 1, 12].map(open => time.beginOf(open * hour) / hour)).toEqual([2, 3, 26])
    expect(time.closedIn(30 * hour)).toEqual([
      { from: 0, to: 2 * hour },
      { from: 14 * hour, to: 26 * hour },
    ])
    expect(time.now).toEqual({ isOpen: false, changesAt: '2026-11-30T18:00:00.000Z' })
    expect(from('2026-11-30T18:00:00Z', oslo).now).toEqual({ isOpen: true, changesAt: '2026-12-01T06:00:00.000Z' })
  })

  test('knows the night that began the day before', () => {
    const time = from('2026-11-30T03:00:00Z', oslo)
    expect(time.now).toEqual({ isOpen: true, changesAt: '2026-11-30T06:00:00.000Z' })
    expect(time.endOf(4 * hour)).toBe((15 + 1) * hour)
  })

  test('a night of the last Sunday of October is an hour longer, and one of March an hour shorter', () => {
    const night = (at: string) => from(at, oslo).openOf(24 * hour) / hour
    expect(night('2026-10-24T12:00:00Z')).toBe(13)
    expect(night('2026-03-28T12:00:00Z')).toBe(11)
    expect(night('2026-11-28T12:00:00Z')).toBe(12)
  })

  test('a time that the clocks leave out is as much later', () => {
    // On 29 March 2026 clocks in Oslo go from 02:00 to 03:00.
    const time = from('2026-03-28T22:00:00Z', inZone('Europe/Oslo', { days: [7], from: '02:30', to: '04:00' }))
    expect(time.closedIn(4 * hour)).toEqual([{ from: 0, to: 3.5 * hour }])
    expect(time.openOf(5 * hour)).toBe(0.5 * hour)
  })

  test('hours that touch or overlap are one stretch', () => {
    const time = from(
      '2026-11-30T00:00:00Z',
      inZone(
        'UTC',
        { days: [1], from: '08:00', to: '12:00' },
        { days: [1], from: '12:00', to: '13:00' },
        { days: [1], from: '11:00', to: '11:30' },
        { days: [1], from: '20:00', to: '20:00' },
        { days: [2], from: '06:00', to: '21:00' },
      ),
    )
    expect(time.closedIn(50 * hour)).toEqual([
      { from: 0, to: 8 * hour },
      { from: 13 * hour, to: 20 * hour },
      { from: 45 * hour, to: 50 * hour },
    ])
  })

  test('is all time without hours, and with hours that leave nothing of the week out', () => {
    const whole = inZone(
      'UTC',
      { days: everyDay, from: '06:00', to: '18:00' },
      { days: everyDay, from: '18:00', to: '06:00' },
    )
    for (const hours of [null, whole]) {
      const time = from('2026-11-30T00:00:00Z', hours)
      expect(time.isAlways).toBe(true)
      expect(time.now).toEqual({ isOpen: true, changesAt: null })
      expect([time.openOf(5), time.endOf(5), time.beginOf(5)]).toEqual([5, 5, 5])
      expect(time.closedIn(1e9)).toEqual([])
    }
    const nearly = inZone('UTC', { days: everyDay, from: '00:01', to: '00:00' })
    expect(from('2026-11-30T00:00:00Z', nearly).openOf(10 * 24 * hour)).toBe(10 * 24 * hour - 600)
  })

  test('what a person wants done now is done now, and then the hours hold again', () => {
    const time = from('2026-11-30T10:00:00Z', oslo, '2026-11-30T12:00:00Z')
    expect(time.now).toEqual({ isOpen: true, changesAt: '2026-11-30T12:00:00.000Z' })
    expect(time.closedIn(24 * hour)).toEqual([
      { from: 2 * hour, to: 8 * hour },
      { from: 20 * hour, to: 24 * hour },
    ])
    // Until the hours begin anyway: there is no gap.
    expect(from('2026-11-30T10:00:00Z', oslo, '2026-11-30T18:00:00Z').now.changesAt).toBe('2026-12-01T06:00:00.000Z')
    // What is over changes nothing.
    expect(from('2026-11-30T10:00:00Z', oslo, '2026-11-30T09:00:00Z').now.isOpen).toBe(false)
  })

  test('what is due in the past stays as far in the past, and what ends beyond all years ends', () => {
    const time = from('2026-11-30T10:00:00Z', oslo)
    expect(time.openOf(-50)).toBe(-50)
    expect(time.openOf(Number.POSITIVE_INFINITY)).toBe(Number.POSITIVE_INFINITY)
    const years = 20 * 365 * 24 * hour
    expect(time.endOf(years)).toBeGreaterThan(years)
    expect(time.endOf(years)).toBeLessThan(2 * years)
  })

  test('is what a clock on the wall says, quarter by quarter, in any zone, over both changes of the clocks', () => {
    const zones = ['Europe/Oslo', 'America/New_York', 'Asia/Kathmandu', 'Australia/Lord_Howe', 'UTC']
    const starts = ['2026-03-26T11:15:00Z', '2026-10-22T02:45:00Z', '2026-11-30T00:00:00Z']
    for (let seed = 1; seed <= 40; seed++) {
      const random = seeded(seed)
      const any = <T>(of: readonly T[]) => of[Math.floor(random() * of.length)]!
      // Clocks change between one and four in the morning.
      const time = () =>
        `${String(any([0, 5, 6, 7, 8, 12, 17, 19, 22, 23])).padStart(2, '0')}:${any(['00', '15', '30'])}`
      const hours = inZone(
        any(zones),
        ...Array.from({ length: 1 + Math.floor(random() * 3) }, () => ({
          days: everyDay.filter((_, index) => index === 2 || random() < 0.5),
          from: time(),
          to: time(),
        })),
      )
      const at = new Date(any(starts))
      // Every other setting has dates of its own, one after the other with days between some.
      if (seed % 2 === 0)
        hours.dates = Array.from({ length: 3 }, (_, place) => {
          const day = (number: number) => new Date(at.getTime() + number * 86_400_000).toISOString().slice(0, 10)
          const first = 2 * place + Math.floor(random() * 2)
          return {
            first: day(first),
            last: day(Math.max(first, 2 * place + Math.floor(random() * 2))),
            times: random() < 0.4 ? null : { from: time(), to: time() },
          }
        })
      const isWorked = wallClock(hours)
      const open = new OpenTime(at, { hours, workOnUntil: null })
      if (open.isAlways) continue
      const quarters = Array.from({ length: 6 * 96 }, (_, quarter) =>
        isWorked(new Date(at.getTime() + quarter * 900_000)),
      )
      const rests = open.closedIn(quarters.length * 900)
      const wrong: number[] = []
      let worked = 0
      for (const [quarter, is] of quarters.entries()) {
        const clock = quarter * 900
        const isRest = rests.some(({ from, to }) => from <= clock && clock < to)
        const isSame =
          open.openOf(clock) === worked &&
          isRest !== is &&
          (!is || (open.beginOf(worked) === clock && open.endOf(worked + 900) === clock + 900))
        if (!isSame) wrong.push(quarter)
        if (is) worked += 900
      }
      expect(wrong, JSON.stringify({ hours, at })).toEqual([])
      expect(open.now.isOpen).toBe(quarters[0])
      const change = quarters.indexOf(!quarters[0])
      if (change > 0) expect(open.now.changesAt).toBe(new Date(at.getTime() + change * 900_000).toISOString())
    }
  })
})
