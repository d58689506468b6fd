import { hardwareCodecs } from '../codecs/hardware/index.ts'
import type { EncoderNeed } from '../devices/device.ts'
import type { HoursSetting } from '../hours/hours.ts'

/** Lanes of all workers together, the cores of the machine that they are on, null where nobody knows, and the hours in which they work, any unless said. */
export interface Machine {
  lanes: number
  cores: number | null
  hours?: HoursSetting | undefined
  /** Which lanes take what, all of them in their order; left out, each takes whatever needs no graphics device. */
  groups?: readonly LaneGroup[] | undefined
}

/** Lanes that take the same. */
export interface LaneGroup {
  /** The graphics device whose lanes they are; null of a processor's. */
  name: string | null
  lanes: number
  takes: readonly EncoderNeed[]
}

/** What lanes take, and jobs need, as bits. */
export type NeedBits = number
const anyLane: NeedBits = 1

/** @param need left out, that of the processor */
export function needBit(need: EncoderNeed | undefined): NeedBits {
  return need ? 2 << hardwareCodecs.indexOf(need) : anyLane
}

/** What each lane takes; lanes that no group has take what needs no graphics device. */
export function bitsOfLanes({ lanes, groups }: Pick<Machine, 'lanes' | 'groups'>): NeedBits[] {
  const bits = (groups ?? []).flatMap(group =>
    new Array<NeedBits>(group.lanes).fill(group.takes.reduce<NeedBits>((sum, need) => sum | needBit(need), 0)),
  )
  return Array.from({ length: lanes }, (_, lane) => bits[lane] ?? anyLane)
}

/** Whether any lane takes work; without it, it is never begun. */
export function isTaken(machine: Pick<Machine, 'lanes' | 'groups'>, need: EncoderNeed | undefined): boolean {
  return machine.groups ? bitsOfLanes(machine).some(bits => (bits & needBit(need)) !== 0) : !need
}

/** What lanes are called, in their order: those of processors by number, those of graphics devices by their device. */
export function laneNames({ lanes, groups }: Pick<Machine, 'lanes' | 'groups'>): string[] {
  const owners = (groups ?? []).flatMap(({ name, lanes: count }) => new Array<string | null>(count).fill(name))
  const all = Array.from({ length: lanes }, (_, lane) => owners[lane] ?? null)
  const counts = new Map<string | null, number>()
  return all.map(owner => {
    const number = (counts.get(owner) ?? 0) + 1
    counts.set(owner, number)
    if (owner === null) return `lane ${number}`
    return all.filter(other => other === owner).length > 1 ? `${owner}, ${number}` : owner
  })
}

/** The lanes of a machine, in groups. */
const groupsOf = ({ lanes, groups }: Machine): readonly LaneGroup[] => groups ?? [{ name: null, lanes, takes: [null] }]

/** How many lanes of a machine take nothing but what needs a graphics device. */
export function deviceLanes(machine: Machine): number {
  return groupsOf(machine).reduce((sum, { lanes, takes }) => sum + (takes.includes(null) ? 0 : lanes), 0)
}

/**
 * The machine with other lanes; where there are fewer, the last ones are gone.
 * @param more lanes of processors, below 0 for fewer
 * @param deviceMore lanes of graphics devices
 */
export function withLanes(machine: Machine, more: number, deviceMore = 0): Machine {
  if (!machine.groups && deviceMore === 0) return { ...machine, lanes: Math.max(0, machine.lanes + more) }
  const changed = groupsOf(machine).map(group => ({ ...group }))
  const change = (count: number, isOne: (group: LaneGroup) => boolean, added: Omit<LaneGroup, 'lanes'>) => {
    if (count > 0) changed.push({ ...added, lanes: count })
    let fewer = Math.max(0, -count)
    for (const group of changed.toReversed().filter(isOne)) {
      const taken = Math.min(fewer, group.lanes)
      group.lanes -= taken
      fewer -= taken
    }
  }
  change(more, ({ takes }) => takes.includes(null), { name: null, takes: [null] })
  change(deviceMore, ({ takes }) => !takes.includes(null), { name: 'supposed device', takes: [...hardwareCodecs] })
  return { ...machine, groups: changed, lanes: changed.reduce((sum, { lanes }) => sum + lanes, 0) }
}

/** Pieces of a job that are told apart, for each lane: more of them end at nearly the same time. */
const piecesEach = 3

/**
 * Pieces that a job is divided into on the lanes that take it.
 * @param lanes what each of them takes
 * @param most that it can be divided into
 * @param need bits of what it needs
 */
export function piecesOn(lanes: readonly NeedBits[], most: number, need: NeedBits = anyLane): number {
  const count = lanes.reduce((sum, bits) => sum + ((bits & need) === 0 ? 0 : 1), 0)
  return count > 1 ? Math.min(most, piecesEach * count) : 1
}

/** No job. */
export const noJob = -1

/**
 * Lanes of one machine, as they take one piece of work after the other, each the lane that is free first.
 *
 * Work is told as what it takes on a machine of its own, and as the cores that it keeps busy then. Lanes that want more cores together than there are slow each
 * other equally, by what they want over what there is: processor sharing (Kleinrock 1967). What is done when is then as if they did not, told by another clock:
 * `now` counts seconds of undisturbed work, `clock` the seconds that pass meanwhile.
 */
export class SharedLanes {
  /** Lanes by when they are free, the first one on top: a binary heap. */
  private readonly heap: Int32Array
  private readonly until: Float64Array
  private readonly job: Int32Array
  private readonly busy: Float64Array
  /** Those that are free and take nothing until they are woken. */
  private resting: number[] = []
  private wanted = 0
  private slowing = 1
  now = 0
  clock = 0

  /**
   * @param free until when each lane is taken, in seconds of undisturbed work
   * @param busy cores that each keeps busy until then
   */
  constructor(
    free: readonly number[],
    private readonly cores: number | null = null,
    busy: readonly number[] = [],
  ) {
    this.until = Float64Array.from(free)
    this.busy = Float64Array.from(free, (_, lane) => busy[lane] ?? 0)
    this.job = new Int32Array(free.length).fill(noJob)
    // A sorted list is a heap.
    this.heap = Int32Array.from(free.keys()).sort((a, b) => free[a]! - free[b]! || a - b)
    for (const cores of this.busy) this.wanted += cores
  }

  /** The lane that is free first. */
  get lane(): number {
    return this.heap[0]!
  }

  /** Goes on until a lane is free. @returns the job that ends on it now, `noJob` where none does */
  goOn(): number {
    const lane = this.heap[0]!
    const to = this.until[lane]!
    this.slowing = this.presentSlowing
    this.clock += (to - this.now) * this.slowing
    this.now = to
    this.wanted -= this.busy[lane]!
    this.busy[lane] = 0
    const ended = this.job[lane]!
    this.job[lane] = noJob
    return ended
  }

  /** The clock's time of a moment after the end before last; after all ends, where nothing slows anything. @param moment in seconds of undisturbed work */
  clockAt(moment: number): number {
    return this.clock + (moment - this.now) * (moment > this.now ? 1 : this.slowing)
  }

  /** Begins work on the lane that is free, after `goOn`. */
  begin(job: number, seconds: number, busyCores: number): void {
    const lane = this.heap[0]!
    this.job[lane] = job
    this.busy[lane] = busyCores
    this.wanted += busyCores
    this.sink(this.now + seconds)
  }

  /** Takes no more work on the lane that is free. */
  close(): void {
    this.sink(Number.POSITIVE_INFINITY)
  }

  /** Whether no lane is ever free again: all are closed, or rest. */
  get isOver(): boolean {
    return this.until[this.lane] === Number.POSITIVE_INFINITY
  }

  /** Takes nothing on the lane that is free, after `goOn`, until it is woken. */
  rest(): void {
    this.resting.push(this.lane)
    this.close()
  }

  /** Goes on until the clock says so and wakes the lanes that rest, or does nothing where a lane is free before. */
  wake(clock: number): void {
    const slowing = this.presentSlowing
    const moment = this.now + Math.max(0, clock - this.clock) / slowing
    if (moment > this.until[this.lane]!) return
    this.slowing = slowing
    this.now = moment
    this.clock = Math.max(clock, this.clock)
    this.wakeAll()
  }

  /** Wakes the lanes that rest, at this moment. */
  wakeAll(): void {
    for (const lane of this.resting) this.until[lane] = this.now
    this.resting = []
    for (let place = (this.heap.length >> 1) - 1; place >= 0; place--) this.sinkFrom(place)
  }

  private get presentSlowing(): number {
    return this.cores === null ? 1 : Math.max(1, this.wanted / this.cores)
  }

  /** Puts the lane on top to where it belongs, when it is free later. */
  private sink(until: number): void {
    this.until[this.heap[0]!] = until
    this.sinkFrom(0)
  }

  private sinkFrom(place: number): void {
    const { heap } = this
    const lane = heap[place]!
    let at = place
    for (;;) {
      let next = 2 * at + 1
      if (next >= heap.length) break
      if (next + 1 < heap.length && this.isSooner(heap[next + 1]!, heap[next]!)) next++
      if (!this.isSooner(heap[next]!, lane)) break
      heap[at] = heap[next]!
      at = next
    }
    heap[at] = lane
  }

  private isSooner(a: number, b: number): boolean {
    const atA = this.until[a]!
    const atB = this.until[b]!
    return atA < atB || (atA === atB && a < b)
  }
}
