import { DateTime } from 'luxon'
import type { Range } from '../range.ts'
import {
  anyTime,
  datedOn,
  isWholeWeek,
  type DatedHours,
  type HoursNow,
  type HoursSetting,
  type WorkingHours,
} from './hours.ts'

/** A stretch of time in seconds from a moment. */
export interface Span {
  from: number
  to: number
}

/** Days that are laid out: what comes after ten years is taken for open. */
const mostDays = 3660
/** Closed stretches that are told at most: half a year of nights. */
const mostTold = 200

/**
 * Time in which jobs are worked on. Outside of it they rest where they are and go on after it, so what is done when is worked out in open seconds, and told by the
 * clock with this. Both count from the same moment.
 */
export class OpenTime {
  /** Stretches that are open, in their order, and the open seconds before each. */
  private readonly spans: Span[] = []
  private readonly before: number[] = []
  private readonly hours: WorkingHours | null
  /** Of hours that leave nothing of the week out: the last day that has hours of its own; after it, it is open for good. */
  private readonly lastDated: string | null
  private nextDay: DateTime
  private days = 0

  /** @param at the moment that seconds count from */
  constructor(
    private readonly at: Date,
    { hours, workOnUntil }: HoursSetting = anyTime,
  ) {
    const [isWhole, dates] = [hours !== null && isWholeWeek(hours), hours?.dates ?? []]
    this.hours = isWhole && dates.length === 0 ? null : hours
    this.lastDated = isWhole ? dates.reduce((latest, { last }) => (last > latest ? last : latest), '') : null
    // What begins on the day before may last until this one.
    this.nextDay = DateTime.fromJSDate(at, { zone: hours?.zone ?? 'utc' })
      .startOf('day')
      .minus({ days: 1 })
    if (workOnUntil !== null) this.add({ from: 0, to: this.secondsOf(new Date(workOnUntil).getTime()) })
  }

  /** Whether it is never closed. */
  get isAlways(): boolean {
    return this.hours === null
  }

  /** Open seconds of so many by the clock; what is past stays as it is. */
  openOf(clock: number): number {
    if (this.isAlways || clock <= 0 || !Number.isFinite(clock)) return clock
    this.layOutTo(clock)
    const index = this.lastWith(span => span.from <= clock)
    if (index < 0) return 0
    const { from, to } = this.spans[index]!
    return this.before[index]! + Math.min(clock, to) - from
  }

  /** When so many open seconds are over, by the clock: at the end of a stretch, not when the next begins. */
  endOf(open: number): number {
    if (this.isAlways || open <= 0 || !Number.isFinite(open)) return open
    return this.clockOf(
      open,
      this.indexWith(open, (before, wanted) => before < wanted),
    )
  }

  /** When what comes after so many open seconds begins, by the clock: when the next stretch begins, not at the end of one. */
  beginOf(open: number): number {
    if (this.isAlways || open < 0 || !Number.isFinite(open)) return open
    return this.clockOf(
      open,
      this.indexWith(open, (before, wanted) => before <= wanted),
    )
  }

  /** An end in open seconds by the clock. */
  endsOf({ expected, low, high }: Range): Range {
    return { expected: this.endOf(expected), low: this.endOf(low), high: this.endOf(high) }
  }

  /** A beginning in open seconds by the clock. */
  beginsOf({ expected, low, high }: Range): Range {
    return { expected: this.beginOf(expected), low: this.beginOf(low), high: this.beginOf(high) }
  }

  /** What is closed of so many seconds by the clock; the first of them, where they are many. */
  closedIn(seconds: number): Span[] {
    if (this.isAlways) return []
    const closed: Span[] = []
    for (let from = 0; from < seconds && closed.length < mostTold;) {
      const to = this.beginOf(this.openOf(from))
      if (to > from) closed.push({ from, to: Math.min(to, seconds) })
      this.layOutTo(to)
      from = this.spans[this.lastWith(span => span.from <= to)]!.to
    }
    return closed
  }

  /** Whether it is open at its moment, and when that changes. */
  get now(): HoursNow {
    if (this.isAlways) return { isOpen: true, changesAt: null }
    const opens = this.beginOf(0)
    this.layOutTo(opens)
    const changes = opens > 0 ? opens : this.spans[0]!.to
    return {
      isOpen: opens <= 0,
      changesAt: Number.isFinite(changes) ? new Date(this.at.getTime() + changes * 1000).toISOString() : null,
    }
  }

  private clockOf(open: number, index: number): number {
    return this.spans[index]!.from + open - this.before[index]!
  }

  /** The last stretch before which less than so much is open. */
  private indexWith(open: number, isBefore: (before: number, wanted: number) => boolean): number {
    while (this.spans.length === 0 || this.openBefore(this.spans.length) <= open) this.layOutDay()
    let [low, high] = [0, this.spans.length - 1]
    while (low < high) {
      const middle = Math.ceil((low + high) / 2)
      if (isBefore(this.before[middle]!, open)) low = middle
      else high = middle - 1
    }
    return low
  }

  private lastWith(isIt: (span: Span) => boolean): number {
    let [low, high] = [-1, this.spans.length - 1]
    while (low < high) {
      const middle = Math.ceil((low + high) / 2)
      if (isIt(this.spans[middle]!)) low = middle
      else high = middle - 1
    }
    return low
  }

  private openBefore(index: number): number {
    const last = this.spans[index - 1]
    return last ? this.before[index - 1]! + last.to - last.from : 0
  }

  private secondsOf(milliseconds: number): number {
    return (milliseconds - this.at.getTime()) / 1000
  }

  private layOutTo(clock: number): void {
    // A stretch that is open then may go on on the next day, and one after it must be known.
    while (this.spans.length === 0 || (this.spans.at(-1)!.from <= clock && this.days <= mostDays)) this.layOutDay()
  }

  private layOutDay(): void {
    const day = this.nextDay
    if (this.lastDated !== null && day.toISODate()! > this.lastDated) this.days = mostDays
    if (++this.days > mostDays) {
      return this.add({ from: this.secondsOf(day.toMillis()), to: Number.POSITIVE_INFINITY })
    }
    this.nextDay = day.plus({ days: 1 })
    const dated = this.datedOn(day)
    const times = dated
      ? [dated.times].filter(entry => entry !== null)
      : this.hours!.spans.filter(({ days }) => days.includes(day.weekday))
    const ends = this.datedOn(this.nextDay) ? this.nextDay.toMillis() : Number.POSITIVE_INFINITY
    const ofDay = times
      .map(({ from, to }) => {
        const isOver = to <= from
        return {
          from: this.secondsOf(timeOn(day, from).toMillis()),
          to: this.secondsOf(Math.min(ends, timeOn(isOver ? this.nextDay : day, to).toMillis())),
        }
      })
      .sort((a, b) => a.from - b.from)
    for (const span of ofDay) this.add(span)
  }

  private datedOn(day: DateTime): DatedHours | null {
    return datedOn(this.hours!, day.toISODate()!)
  }

  /** Adds a stretch that begins after the others do. */
  private add({ from, to }: Span): void {
    const last = this.spans.at(-1)
    if (last && from <= last.to) {
      last.to = Math.max(last.to, to)
      return
    }
    const begin = Math.max(0, from)
    if (to <= begin) return
    this.before.push(this.openBefore(this.spans.length))
    this.spans.push({ from: begin, to })
  }
}

/** A time of day on a day: one that is left out when clocks are put forward is as much later. */
function timeOn(day: DateTime, time: string): DateTime {
  const [hour, minute] = time.split(':').map(Number)
  return day.set({ hour, minute })
}
