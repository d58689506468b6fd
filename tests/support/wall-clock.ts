import type { WorkingHours } from '@hematine/core'

const names = ['Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat', 'Sun']

/**
 * Whether an instant lies in working hours: what the clock on a wall of their zone shows is held against them, as a person would. It says nothing
 * right where hours begin or end at a time that the clock shows twice, or not at all.
 */
export function wallClock({ zone, spans, dates = [] }: WorkingHours): (instant: Date) => boolean {
  const format = new Intl.DateTimeFormat('en-GB', {
    timeZone: zone,
    weekday: 'short',
    year: 'numeric',
    month: '2-digit',
    day: '2-digit',
    hour: '2-digit',
    minute: '2-digit',
    hourCycle: 'h23',
  })
  return instant => {
    const parts = new Map(format.formatToParts(instant).map(({ type, value }) => [type, value]))
    const today = 1 + names.indexOf(parts.get('weekday')!)
    const yesterday = today === 1 ? 7 : today - 1
    const time = `${parts.get('hour')}:${parts.get('minute')}`
    // A date on the calendar has the same day before it in every zone.
    const date = `${parts.get('year')}-${parts.get('month')}-${parts.get('day')}`
    const dayBefore = new Date(new Date(`${date}T00:00:00Z`).getTime() - 86_400_000).toISOString().slice(0, 10)
    const timesOn = (day: string, weekday: number) => {
      const dated = dates.find(({ first, last }) => day >= first && day <= last)
      return dated ? (dated.times ? [dated.times] : []) : spans.filter(({ days }) => days.includes(weekday))
    }
    const isDated = dates.some(({ first, last }) => date >= first && date <= last)
    return (
      timesOn(date, today).some(({ from, to }) => time >= from && (to <= from || time < to)) ||
      (!isDated && timesOn(dayBefore, yesterday).some(({ from, to }) => to <= from && time < to))
    )
  }
}
