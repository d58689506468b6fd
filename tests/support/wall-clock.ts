import type { WorkingHours } from '@hematine/core'

const names = ['Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat', 'Sun']

/**
 * Whether an instant lies in working hours: what the clock on a wall of their zone shows is held against them, as a person would. It says nothing
 * right where hours begin or end at a time that the clock shows twice, or not at all.
 */
export function wallClock({ zone, spans }: WorkingHours): (instant: Date) => boolean {
  const format = new Intl.DateTimeFormat('en-GB', {
    timeZone: zone,
    weekday: 'short',
    hour: '2-digit',
    minute: '2-digit',
    hourCycle: 'h23',
  })
  return instant => {
    const parts = new Map(format.formatToParts(instant).map(({ type, value }) => [type, value]))
    const today = 1 + names.indexOf(parts.get('weekday')!)
    const yesterday = today === 1 ? 7 : today - 1
    const time = `${parts.get('hour')}:${parts.get('minute')}`
    return spans.some(({ days, from, to }) =>
      to > from
        ? days.includes(today) && time >= from && time < to
        : (days.includes(today) && time >= from) || (days.includes(yesterday) && time < to),
    )
  }
}
