import { DateTime } from 'luxon'
import { z } from 'zod'

/** Days of the week by their number in ISO 8601, Monday first. */
const dayNames = ['Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat', 'Sun'] as const
export const weekdays: readonly { number: number; name: string }[] = dayNames.map((name, index) => ({
  number: index + 1,
  name,
}))

/** A time of day as it is written: 00:00 to 23:59. */
export const TimeOfDay = z.string().regex(/^([01]\d|2[0-3]):[0-5]\d$/, 'is no time of day; write it like 19:00')

function isZone(name: string): boolean {
  try {
    return new Intl.DateTimeFormat('en', { timeZone: name }).resolvedOptions().timeZone !== ''
  } catch {
    return false
  }
}

/** Hours of some days: those that end before they begin, or when they begin, end on the next day. */
export const WorkingSpan = z.object({
  days: z.array(z.int().min(1).max(7)).min(1, 'has no day').max(7),
  from: TimeOfDay,
  to: TimeOfDay,
})
export type WorkingSpan = z.infer<typeof WorkingSpan>

const CalendarDay = z.iso.date({ error: 'is no date; write it like 2026-12-24', abort: true })

/**
 * What holds on some dates in place of the hours of the week: from midnight to midnight this and nothing else, so that a night before ends where they begin.
 * Its own times that end before they begin end on the next day, unless that has hours of its own, too.
 */
export const DatedHours = z
  .object({
    first: CalendarDay,
    last: CalendarDay,
    /** Null where jobs rest all day. */
    times: z.object({ from: TimeOfDay, to: TimeOfDay }).nullable(),
  })
  .refine(({ first, last }) => first <= last, { path: ['last'], message: 'comes before the first day' })
export type DatedHours = z.infer<typeof DatedHours>

export const mostDated = 60

/** When jobs are worked on, week by week. */
export const WorkingHours = z
  .object({
    /** Of the times, by its IANA name: "Europe/Oslo". */
    zone: z.string().max(60).refine(isZone, 'is no time zone'),
    spans: z.array(WorkingSpan).min(1, 'have no day').max(14),
    /** Holidays and the like; no day twice. */
    dates: z.array(DatedHours).max(mostDated).optional(),
  })
  .superRefine(({ dates = [] }, context) => {
    for (const [place, { first, last }] of dates.entries())
      if (dates.slice(0, place).some(other => other.first <= last && first <= other.last))
        context.addIssue({ code: 'custom', path: ['dates', place], message: 'has a day that another one has, too' })
  })
export type WorkingHours = z.infer<typeof WorkingHours>

/** What holds on a day by its date, where that is not the hours of the week. @param date like "2026-12-24" */
export function datedOn({ dates = [] }: Pick<WorkingHours, 'dates'>, date: string): DatedHours | null {
  return dates.find(({ first, last }) => first <= date && date <= last) ?? null
}

/** The hours of an installation, and what a person made of them for now. */
export const HoursSetting = z.object({
  /** Null for any time. */
  hours: WorkingHours.nullable(),
  /** Jobs are worked on until then, whatever the hours say; ISO 8601 in UTC. */
  workOnUntil: z.iso.datetime().nullable(),
})
export type HoursSetting = z.infer<typeof HoursSetting>

/** Jobs are worked on at any time. */
export const anyTime: HoursSetting = { hours: null, workOnUntil: null }

/** Whether jobs are worked on now, and when that changes: ISO 8601 in UTC, null where it does not. */
export interface HoursNow {
  isOpen: boolean
  changesAt: string | null
}

const minutesOf = (time: string) => Number(time.slice(0, 2)) * 60 + Number(time.slice(3))
const minutesOfDay = 1440

/** Stretches of a week that hours cover, in minutes from Monday at midnight, one after the other. */
export function workedInWeek({ spans }: Pick<WorkingHours, 'spans'>): { from: number; to: number }[] {
  const week = new Uint8Array(7 * minutesOfDay)
  for (const { days, from, to } of spans) {
    const length = minutesOf(to) - minutesOf(from)
    for (const day of days)
      for (let minute = 0; minute < (length > 0 ? length : length + minutesOfDay); minute++)
        week[((day - 1) * minutesOfDay + minutesOf(from) + minute) % week.length] = 1
  }
  const worked: { from: number; to: number }[] = []
  for (let from = week.indexOf(1); from >= 0;) {
    const end = week.indexOf(0, from)
    const to = end < 0 ? week.length : end
    worked.push({ from, to })
    from = week.indexOf(1, to)
  }
  return worked
}

/** Whether hours leave nothing of the week out. */
export function isWholeWeek(hours: Pick<WorkingHours, 'spans'>): boolean {
  const [first] = workedInWeek(hours)
  return first?.from === 0 && first.to === 7 * minutesOfDay
}

/** Hours as a person says them: "Mon to Thu 19:00 to 07:00, Fri to Sun all day". */
export function describeHours({ spans }: Pick<WorkingHours, 'spans'>): string {
  return spans.map(span => `${describeDays(span.days)} ${describeTimes(span)}`).join(', ')
}

/** Dates with hours of their own that are not over at a moment, the next ones first. */
export function datedFrom({ zone, dates = [] }: Pick<WorkingHours, 'zone' | 'dates'>, at: Date): DatedHours[] {
  const today = DateTime.fromJSDate(at, { zone }).toISODate()!
  return dates.filter(({ last }) => last >= today).sort((a, b) => (a.first < b.first ? -1 : 1))
}

/** What holds on some dates, in words: "24 to 26 Dec 2026 no work", "31 Dec 2026 08:00 to 12:00". */
export function describeDated({ first, last, times }: DatedHours): string {
  const [from, to] = [DateTime.fromISO(first), DateTime.fromISO(last)]
  const whole = (day: DateTime) => day.toFormat('d LLL yyyy', { locale: 'en' })
  const begin = from.toFormat(from.hasSame(to, 'month') ? 'd' : from.hasSame(to, 'year') ? 'd LLL' : 'd LLL yyyy', {
    locale: 'en',
  })
  return `${first === last ? whole(from) : `${begin} to ${whole(to)}`} ${times ? describeTimes(times) : 'no work'}`
}

function describeTimes({ from, to }: Pick<WorkingSpan, 'from' | 'to'>): string {
  return from === to && from === '00:00' ? 'all day' : `${from} to ${to}`
}

/** Days in a row are told by the first and the last of them. */
function describeDays(days: readonly number[]): string {
  const sorted = [...new Set(days)].sort((a, b) => a - b)
  const rows: number[][] = []
  for (const day of sorted) {
    const row = rows.at(-1)
    if (row && row.at(-1) === day - 1) row.push(day)
    else rows.push([day])
  }
  const name = (day: number) => dayNames[day - 1]!
  return rows.flatMap(row => (row.length > 2 ? [`${name(row[0]!)} to ${name(row.at(-1)!)}`] : row.map(name))).join(', ')
}
