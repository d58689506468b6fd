import { z } from 'zod'
import { nearestRational, rational, toNumber, type Rational } from './rational.ts'
import { snapRate, standardRates } from './timing.ts'

/**
 * What a source is in time, from the times of its packets: how many pictures it has, at what rate most of them follow each other, where
 * there are gaps, and where the times jump although picture and sound go on.
 */

/** A stretch in which no new picture comes, in seconds of the source. */
export const Gap = z.object({ seconds: z.number().min(0), length: z.number().positive() })
export type Gap = z.infer<typeof Gap>

/** A place where the stated times go back or leap although the material goes on. */
export const Jump = z.object({
  /** Where, in seconds of the source as it is played. */
  seconds: z.number().min(0),
  /** By how much the stated times depart from what would follow, in seconds; below 0 they go back. */
  by: z.number(),
  /** Which tracks do it. */
  of: z.enum(['picture', 'sound', 'picture and sound']),
})
export type Jump = z.infer<typeof Jump>

/** How the times of one stream's packets are made into one line. Packets are counted from 0 in the order of the file. */
export const Course = z.object({
  stream: z.int().min(0),
  /** Ticks from picture to picture of a stream without times of its own; null where it has its own. */
  step: z.number().positive().nullable(),
  /** From which packet on times are moved, and by how many ticks in all. */
  shifts: z.array(z.object({ packet: z.int().min(0), ticks: z.int() })),
  /** Packets that reading can begin with: their number, the byte in the file and the time after moving, in ticks. */
  places: z.array(z.object({ packet: z.int().min(0), byte: z.number().min(0), ticks: z.int() })),
})
export type Course = z.infer<typeof Course>

/** The packets of one stream in file order. Times are ticks of `timeBase`; null where none is stated. */
export interface PacketColumn {
  stream: number
  kind: 'picture' | 'sound'
  timeBase: Rational
  pts: (number | null)[]
  dts: (number | null)[]
  /** Ticks that the packet lasts; 0 where it does not say. */
  duration: number[]
  /** 'repeat' for packets without data, which show the last picture once more; 'hidden' for those that are decoded but not shown. */
  shows: ('picture' | 'repeat' | 'hidden')[]
  /** Numbers and bytes of packets that decoding can begin with. */
  keys: { packet: number; byte: number }[]
}

/** Most places kept for reading to begin with, and most gaps and jumps named. */
const mostPlaces = 200
const mostNamed = 50
/** Steps back of less than this, and leaps of less than the second, are left as they are, in seconds. */
const leastBack = 0.1
/** The same where only times of showing are known, which go back by some frames wherever pictures look ahead. */
const leastBackShown = 0.7
const leastLeap = 1
/** Without another track to agree, only so long a leap is one; shorter ones are gaps. */
const lonelyLeap = 10
/** Amounts by which picture and sound jump are the same within so many seconds. */
const agreement = 0.5
/** Standard rates are taken for rates this near. */
const nearStandard = 0.002

interface OwnJump {
  packet: number
  seconds: number
  by: number
  continues: number
}

/** When a packet is decoded, in seconds; of streams that state none at all, when it is shown. The two are never mixed: pictures are shown in another order. */
function decodeTimes(column: PacketColumn): { seconds: (number | null)[]; isShown: boolean } {
  const isShown = column.dts.every(ticks => ticks === null)
  const unit = toNumber(column.timeBase)
  return { seconds: (isShown ? column.pts : column.dts).map(ticks => (ticks === null ? null : ticks * unit)), isShown }
}

/** The middle value; NaN for none. */
function median(values: readonly number[]): number {
  const sorted = [...values].sort((a, b) => a - b)
  return sorted.length === 0 ? Number.NaN : sorted[Math.floor(sorted.length / 2)]!
}

/** Places where a stream's times go back, or leap by a second or more. */
function ownJumps(column: PacketColumn): OwnJump[] {
  const steps: number[] = []
  const jumps: OwnJump[] = []
  let [last, lastDuration] = [null as number | null, 0]
  const { seconds: times, isShown } = decodeTimes(column)
  const back = isShown && column.kind === 'picture' ? leastBackShown : leastBack
  const candidates: { packet: number; seconds: number; step: number; duration: number }[] = []
  for (let index = 0; index < times.length; index++) {
    const now = times[index]!
    if (now === null) continue
    if (last !== null) {
      const step = now - last
      if (step < -back || step > leastLeap)
        candidates.push({ packet: index, seconds: last, step, duration: lastDuration })
      else if (step > 0) steps.push(step)
    }
    last = now
    lastDuration = column.duration[index]! * toNumber(column.timeBase)
  }
  const usual = median(steps)
  for (const { packet, seconds, step, duration } of candidates) {
    // What follows directly: the usual step, or what the packet before lasts.
    const continues = Number.isNaN(usual) ? duration : usual
    if (step > leastLeap && (Number.isNaN(usual) || step < 4 * usual)) continue
    jumps.push({ packet, seconds, by: step - continues, continues })
  }
  return jumps
}

/** How often a picture's leaps must be met by the sound's for both to be taken for a jump; sound is looked at around the same time. */
function metBy(jump: OwnJump, others: readonly OwnJump[]): OwnJump | null {
  return (
    others.find(
      other => Math.abs(other.by - jump.by) <= agreement && Math.abs(other.seconds - jump.seconds) <= agreement + 2,
    ) ?? null
  )
}

export interface Courses {
  /** Streams whose times must be moved or made; empty for most sources. */
  courses: Course[]
  jumps: Jump[]
  /** Times of the columns after moving, in seconds, in file order. */
  seconds: Map<number, (number | null)[]>
}

/**
 * Finds where times jump, and moves what follows so that it goes on where the material before it ends. Picture and sound are moved by the same
 * amount where both jump by the same; a leap that the sound does not share is a gap and stays.
 * @param withoutTimes streams whose times are made up by the reader: seconds from picture to picture by stream
 */
export function findCourses(
  columns: readonly PacketColumn[],
  withoutTimes: ReadonlyMap<number, number> = new Map(),
): Courses {
  const picture = columns.find(column => column.kind === 'picture')
  const own = new Map(columns.map(column => [column.stream, withoutTimes.has(column.stream) ? [] : ownJumps(column)]))
  const sounds = columns.filter(column => column !== picture)
  const shiftsOf = new Map<number, { packet: number; seconds: number }[]>()
  const jumps: Jump[] = []
  const begin = (picture ?? columns[0])?.pts.find(ticks => ticks !== null) ?? 0
  const zero = columns.length > 0 ? begin * toNumber((picture ?? columns[0]!).timeBase) : 0
  for (const column of columns) {
    const shifts: { packet: number; seconds: number }[] = []
    let moved = 0
    for (const jump of own.get(column.stream)!) {
      const partners = (
        column === picture ? sounds : picture ? [picture] : sounds.filter(other => other !== column)
      ).map(other => metBy(jump, own.get(other.stream)!))
      const partner = partners.find(other => other !== null) ?? null
      const isJump = jump.by < 0 || partner !== null || (jump.by > lonelyLeap && partners.length === 0)
      if (!isJump) continue
      // Sound keeps its place beside the picture.
      const amount = column !== picture && partner ? partner.by : jump.by
      const at = Math.max(0, jump.seconds + moved - zero)
      moved -= amount
      shifts.push({ packet: jump.packet, seconds: moved })
      if (column === picture || !partner || !picture)
        jumps.push({
          seconds: at,
          by: amount,
          of: column === picture ? (partner ? 'picture and sound' : 'picture') : 'sound',
        })
    }
    shiftsOf.set(column.stream, shifts)
  }
  const seconds = new Map(
    columns.map(column => [
      column.stream,
      movedSeconds(column, shiftsOf.get(column.stream)!, withoutTimes.get(column.stream)),
    ]),
  )
  const courses = columns.flatMap((column): Course[] => {
    const shifts = shiftsOf.get(column.stream)!
    const step = withoutTimes.get(column.stream)
    const unit = toNumber(column.timeBase)
    if (shifts.length === 0 && step === undefined) return []
    const thinned = column.keys.filter((_, index) => index % Math.ceil(column.keys.length / mostPlaces) === 0)
    return [
      {
        stream: column.stream,
        step: step === undefined ? null : step / unit,
        shifts: shifts.map(shift => ({ packet: shift.packet, ticks: Math.round(shift.seconds / unit) })),
        places: thinned.flatMap(({ packet, byte }) => {
          const at = seconds.get(column.stream)![packet]
          return at === null || at === undefined || byte < 0 ? [] : [{ packet, byte, ticks: Math.round(at / unit) }]
        }),
      },
    ]
  })
  return { courses, jumps: jumps.sort((a, b) => a.seconds - b.seconds).slice(0, mostNamed), seconds }
}

function movedSeconds(
  column: PacketColumn,
  shifts: readonly { packet: number; seconds: number }[],
  step: number | undefined,
): (number | null)[] {
  const unit = toNumber(column.timeBase)
  let next = 0
  let moved = 0
  return column.pts.map((pts, index) => {
    if (step !== undefined) return index * step
    while (next < shifts.length && shifts[next]!.packet <= index) moved = shifts[next++]!.seconds
    const ticks = pts ?? column.dts[index]
    return ticks === null || ticks === undefined ? null : ticks * unit + moved
  })
}

export interface PictureCourse {
  /** Rate that most pictures keep. */
  rate: Rational
  /** Pictures a second over the whole, repeats among them. */
  averageRate: number
  rateIs: 'constant' | 'variable'
  /** Pictures that have data and are shown, and packets that show the last one again. */
  frames: number
  repeats: number
  /** Steps of `rate` from the first picture to the end of the last. */
  slots: number
  seconds: number
  gaps: { count: number; seconds: number; places: Gap[] }
}

/** Steps from this part of the usual one to this part are about a frame long. */
const regular = { from: 0.5, to: 1.6 }
/** Steps of a constant rate lie this near to it, as a part. */
const steady = 0.26
/** A clock whose ticks are longer than this part of a frame counts frames, and its times are exact. */
const coarseClock = 0.2
/** Part of the steps that may be something else in a constant rate; two always may. */
const strayPart = 0.03

/**
 * The picture's course from its packets' times: the rate is that of the steps that most pictures keep, to the nearest standard rate within 0.2 %.
 * What the container states only decides between standard rates that are equally near.
 * @param seconds times of all packets after moving, in file order
 * @param stated rates that the container gives
 * @param leavesOut whether the container's reader passes over packets without data: then gaps of a constant rate are repeats
 * @returns null when no packet has a time
 */
export function pictureCourse(
  column: PacketColumn,
  seconds: readonly (number | null)[],
  stated: readonly Rational[],
  leavesOut = false,
): PictureCourse | null {
  const shown = column.shows.flatMap((shows, index) =>
    shows === 'hidden'
      ? []
      : [
          {
            seconds: seconds[index] ?? null,
            isPicture: shows === 'picture',
            duration: column.duration[index]! * toNumber(column.timeBase),
          },
        ],
  )
  const frames = shown.filter(entry => entry.isPicture).length
  const times = shown.flatMap(entry => (entry.seconds === null ? [] : [entry.seconds])).sort((a, b) => a - b)
  if (frames === 0 || times.length === 0) return null
  const steps = stepsOf(times, toNumber(column.timeBase))
  // Clocks round times, but for those that count frames.
  const tick = toNumber(column.timeBase) < coarseClock * median(steps) ? toNumber(column.timeBase) : 0
  const lastDuration = shown.find(entry => entry.seconds === times.at(-1))?.duration ?? 0
  if (steps.length === 0) {
    const rate =
      stated.find(entry => lastDuration > 0 && Math.abs(toNumber(entry) * lastDuration - 1) < 0.02) ??
      (lastDuration > 0 ? snapRate(nearestRational(1 / lastDuration)) : (stated[0] ?? rational(25)))
    return {
      rate,
      averageRate: toNumber(rate),
      rateIs: 'constant',
      frames,
      repeats: shown.length - frames,
      slots: shown.length,
      seconds: shown.length / toNumber(rate),
      gaps: { count: 0, seconds: 0, places: [] },
    }
  }
  const { interval, isSteady } = usualInterval(steps, tick)
  const rate = nearestRate(1 / interval, stated)
  const frame = 1 / toNumber(rate)
  const long: Gap[] = []
  let [stray, slots] = [0, 1]
  for (let index = 1; index < times.length; index++) {
    const step = times[index]! - times[index - 1]!
    if (Math.abs(step - frame) > steady * frame + 2 * tick) stray++
    slots += Math.max(step < regular.from * frame ? 0 : 1, Math.round(step / frame))
    if (step > regular.to * frame)
      long.push({ seconds: Math.max(0, times[index - 1]! - times[0]! + frame), length: step - frame })
  }
  const isConstant = leavesOut || (isSteady && stray <= Math.max(2, strayPart * steps.length))
  const span = times.at(-1)! - times[0]!
  const whole = span + (isConstant || lastDuration <= 0 ? frame : lastDuration)
  const passedOver = leavesOut && isConstant ? slots - shown.length : 0
  if (passedOver > 0) long.length = 0
  return {
    rate,
    averageRate: (shown.length + passedOver) / whole,
    rateIs: isConstant ? 'constant' : 'variable',
    frames,
    repeats: shown.length - frames + passedOver,
    slots: isConstant ? slots : Math.max(1, Math.round(whole / frame)),
    seconds: isConstant ? slots * frame : whole,
    gaps: {
      count: isConstant ? long.length : 0,
      seconds: isConstant ? long.reduce((sum, gap) => sum + gap.length, 0) : 0,
      places: isConstant ? long.slice(0, mostNamed) : [],
    },
  }
}

function stepsOf(times: readonly number[], tick: number): number[] {
  const steps: number[] = []
  for (let index = 1; index < times.length; index++)
    if (times[index]! - times[index - 1]! > tick / 2) steps.push(times[index]! - times[index - 1]!)
  return steps
}

/** The step that most pictures keep: of an even run its mean, otherwise the one that is met most often, or, where none is, a short one. */
function usualInterval(steps: readonly number[], tick: number): { interval: number; isSteady: boolean } {
  const usual = median(steps)
  const near = steps.filter(step => step >= regular.from * usual && step <= regular.to * usual)
  const mean = near.reduce((sum, step) => sum + step, 0) / near.length
  const even = near.filter(step => Math.abs(step - mean) <= steady * mean + tick)
  if (even.length >= Math.min(steps.length - 2, (1 - strayPart) * steps.length) && even.length * 2 > steps.length)
    return { interval: mean, isSteady: true }
  const sorted = [...steps].sort((a, b) => a - b)
  let best = { from: 0, count: 0 }
  for (let from = 0, to = 0; from < sorted.length; from++) {
    while (to < sorted.length && sorted[to]! <= sorted[from]! * 1.04 + 2 * tick) to++
    if (to - from > best.count) best = { from, count: to - from }
  }
  const cluster = sorted.slice(best.from, best.from + best.count)
  if (cluster.length >= 0.4 * steps.length)
    return {
      interval: cluster.reduce((sum, step) => sum + step, 0) / cluster.length,
      isSteady: cluster.length >= (1 - strayPart) * steps.length,
    }
  return { interval: Math.max(1 / 60, sorted[Math.floor(sorted.length / 10)]!), isSteady: false }
}

/** The standard rate within 0.2 % of a measured one; of two that near, the one that is stated, or the nearer one. Else the stated or measured rate itself. */
export function nearestRate(measured: number, stated: readonly Rational[] = []): Rational {
  const off = (rate: Rational) => Math.abs(toNumber(rate) / measured - 1)
  const near = standardRates.filter(rate => off(rate) <= nearStandard).sort((a, b) => off(a) - off(b))
  const named = near.find(rate => stated.some(entry => Math.abs(toNumber(entry) / toNumber(rate) - 1) < 2e-4))
  return (
    named ?? near[0] ?? stated.find(rate => off(rate) <= nearStandard && rate.den <= 1001) ?? nearestRational(measured)
  )
}
