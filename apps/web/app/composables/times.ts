import { describeDuration, type Range } from '@hematine/core'

const days = ['Sun', 'Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat']
const two = (value: number) => String(value).padStart(2, '0')

/** Time of day, "21:10"; with seconds when asked. */
export function clock(date: Date, seconds = false): string {
  return `${two(date.getHours())}:${two(date.getMinutes())}${seconds ? `:${two(date.getSeconds())}` : ''}`
}

/** "21:10" today, "Fri 27 Nov 08:00" on another day. */
export function moment(date: Date, now: Date): string {
  if (date.toDateString() === now.toDateString()) return clock(date)
  return `${days[date.getDay()]} ${date.getDate()} ${date.toLocaleString('en', { month: 'short' })} ${clock(date)}`
}

/** A range of moments, seconds from now: "21:10-23:30" today; a day is named where it is another one. */
export function momentRange(range: Range, now: Date): string {
  const at = (seconds: number) => new Date(now.getTime() + seconds * 1000)
  const [early, late] = [at(range.low), at(range.high)]
  const first = moment(early, now)
  if (clock(early) === clock(late) && early.toDateString() === late.toDateString()) return first
  return `${first}-${early.toDateString() === late.toDateString() ? clock(late) : moment(late, now)}`
}

/** Time to a moment in words: "in 2 d 20 h", "in 35 min", "12 min ago". */
export function untilWords(date: Date, now: Date): string {
  const seconds = (date.getTime() - now.getTime()) / 1000
  const size = Math.abs(seconds)
  const words =
    size >= 172_800
      ? `${Math.floor(size / 86_400)} d ${Math.floor((size % 86_400) / 3600)} h`
      : size >= 3600
        ? `${Math.floor(size / 3600)} h ${two(Math.floor((size % 3600) / 60))} min`
        : `${Math.max(1, Math.round(size / 60))} min`
  return seconds >= 0 ? `in ${words}` : `${words} ago`
}

/** Lateness in words: it is a forecast, so no more than minutes are told of it. */
export function aboutWords(seconds: number): string {
  return seconds < 60 ? 'less than a minute' : describeDuration(Math.round(seconds / 60) * 60).replace(/ 00 s$/, '')
}

/** Lateness as a cell says it. */
export function latenessWords(seconds: number): string {
  return seconds > 0 ? aboutWords(seconds) : 'in time'
}

/** Lateness of orders together in words: as it is, and as they count where that is another. @param late how many of them are late */
export function latenessInAll(
  { lateSeconds, countedSeconds }: { lateSeconds: number; countedSeconds: number },
  late: number,
): string {
  const [plain, counted] = [aboutWords(lateSeconds), aboutWords(countedSeconds)]
  const words = `${plain}${late > 1 ? ' in all' : ''}`
  return counted === plain ? words : `${words} (${counted} as orders count)`
}

/** A moment as a field for date and time holds it: such fields speak local time, the server UTC. */
export function localMoment(instant: string | null): string {
  if (instant === null) return ''
  const date = new Date(instant)
  return new Date(date.getTime() - date.getTimezoneOffset() * 60_000).toISOString().slice(0, 16)
}

/** What such a field holds, ISO 8601 in UTC; null where it is empty. */
export function instantOf(local: string): string | null {
  return local ? new Date(local).toISOString() : null
}
