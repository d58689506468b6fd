import { isInHand } from '@hematine/core'
import {
  hoursOf,
  jobsOfRows,
  listCopies,
  listJobs,
  listOrders,
  listScans,
  listTrials,
  listWatches,
  listWorkers,
  placesOfJobs,
  type Change,
  type EntityManager,
} from '@hematine/database'
import type { EventStream } from 'h3'
import type { DraftingProgress, LiveChange } from '#shared/api'
import { useLog } from './log'

interface Listener {
  orderId: number
  stream: EventStream
}

/** Least time between two messages to a browser. */
const gatherMilliseconds = 200

/** Rows that one message names; of more, a browser asks for its lists again whatever it shows. */
const mostNamed = 500
/** Jobs that are being done whose records go along: there are as many as there are lanes. */
const mostActive = 100

/** Tells every open browser what changed in its order: changes are gathered for a moment, read once and sent to all. */
export class LiveHub {
  private readonly listeners = new Set<Listener>()
  private readonly changed = {
    source: new Set<number>(),
    job: new Set<number>(),
    sample: new Set<number>(),
    scan: new Set<number>(),
    disc_copy: new Set<number>(),
    watch: new Set<number>(),
    trial: new Set<number>(),
    treatments: false,
    specs: false,
    curves: false,
    comparisons: false,
    outcomes: false,
    calibrations: false,
    drives: false,
    inventory: false,
    lots: false,
    orders: false,
    workers: false,
    hours: false,
    volumes: false,
  }
  private timer: NodeJS.Timeout | null = null
  private sending: Promise<void> = Promise.resolve()

  constructor(private readonly em: () => EntityManager) {}

  add(listener: Listener): void {
    this.listeners.add(listener)
    listener.stream.onClosed(() => {
      this.listeners.delete(listener)
    })
  }

  noteChange({ table, id }: Change): void {
    if (this.listeners.size === 0) return
    if (
      table === 'source' ||
      table === 'job' ||
      table === 'sample' ||
      table === 'scan' ||
      table === 'disc_copy' ||
      table === 'watch' ||
      table === 'trial'
    )
      this.changed[table].add(Number(id))
    else if (table === 'treatment') this.changed.treatments = true
    else if (table === 'spec') this.changed.specs = true
    else if (table === 'curve') this.changed.curves = true
    else if (table === 'comparison') this.changed.comparisons = true
    else if (table === 'forecast_outcome') this.changed.outcomes = true
    else if (table === 'calibration') this.changed.calibrations = true
    else if (table === 'planned_source') this.changed.inventory = true
    else if (table === 'drive') this.changed.drives = true
    else if (table === 'lot') this.changed.lots = true
    else if (table === 'worker') this.changed.workers = true
    else if (table === 'working_hours') this.changed.hours = true
    else if (table === 'volume') this.changed.volumes = true
    else if (table === 'work_order') this.changed.orders = true
    this.timer ??= setTimeout(() => {
      this.timer = null
      this.sending = this.sending
        .then(() => this.send())
        .catch((error: Error) => useLog().error({ error: error.message }, 'changes could not be sent to the browsers'))
    }, gatherMilliseconds)
  }

  /** After a gap in what was heard, browsers fetch everything anew. */
  tellAllToReload(): void {
    for (const { stream } of this.listeners) void stream.push({ event: 'reload', data: '{}' })
  }

  /** The database is away; what changes meanwhile is told as a gap when it is back. */
  tellAllToWait(): void {
    for (const { stream } of this.listeners) void stream.push({ event: 'away', data: '{}' })
  }

  /** How far the drafting of many jobs is; whoever asked for it knows its name. */
  tellDrafting(progress: DraftingProgress): void {
    for (const { stream } of this.listeners) void stream.push({ event: 'drafting', data: JSON.stringify(progress) })
  }

  close(): void {
    if (this.timer) clearTimeout(this.timer)
    for (const { stream } of this.listeners) void stream.close()
    this.listeners.clear()
  }

  private take() {
    const {
      source,
      job,
      sample,
      scan,
      disc_copy,
      watch,
      trial,
      treatments,
      specs,
      curves,
      comparisons,
      outcomes,
      calibrations,
      drives,
      inventory,
      lots,
      orders,
      workers,
      hours,
      volumes,
    } = this.changed
    const taken = {
      sources: [...source],
      jobs: [...job],
      samples: [...sample],
      scans: [...scan],
      copies: [...disc_copy],
      watches: [...watch],
      trials: [...trial],
      treatments,
      specs,
      curves,
      comparisons,
      outcomes,
      calibrations,
      drives,
      inventory,
      lots,
      orders,
      workers,
      hours,
      volumes,
    }
    for (const set of [source, job, sample, scan, disc_copy, watch, trial]) set.clear()
    Object.assign(this.changed, {
      treatments: false,
      specs: false,
      curves: false,
      comparisons: false,
      outcomes: false,
      calibrations: false,
      drives: false,
      inventory: false,
      lots: false,
      orders: false,
      workers: false,
      hours: false,
      volumes: false,
    })
    return taken
  }

  private async send(): Promise<void> {
    const taken = this.take()
    const em = this.em()
    const jobIds = [...new Set([...taken.jobs, ...(await jobsOfRows(em, { sourceIds: [], sampleIds: taken.samples }))])]
    const jobs = jobIds.length > 0 ? await placesOfJobs(em, jobIds) : []
    const active = jobs.filter(job => isInHand(job.state)).map(job => job.id)
    const records = active.length > 0 ? await listJobs(em, { ids: active.slice(0, mostActive) }) : []
    const known = new Set(jobs.map(job => job.id))
    const goneJobs = jobIds.filter(id => !known.has(id))
    const scans = taken.scans.length > 0 ? await listScans(em, { ids: taken.scans }) : []
    const copies = taken.copies.length > 0 ? await listCopies(em, { ids: taken.copies }) : []
    const watches = taken.watches.length > 0 ? await listWatches(em, { ids: taken.watches }) : []
    const trials = taken.trials.length > 0 ? await listTrials(em, { ids: taken.trials }) : []
    const gone = (ids: number[], rows: { id: number }[]) => ids.filter(id => !rows.some(row => row.id === id))
    const orders = taken.orders ? await listOrders(em) : []
    const workers = taken.workers ? await listWorkers(em) : null
    const hours = taken.hours ? await hoursOf(em) : null
    for (const { orderId, stream } of this.listeners) {
      const own = <Row extends { orderId: number }>(rows: Row[]) => rows.filter(row => row.orderId === orderId)
      // Another order's jobs take their turn on the same lanes, so its changes move this order's ends.
      const ownJobs = own(jobs)
      const change: LiveChange = {
        orders,
        workers,
        hours,
        volumes: taken.volumes,
        drives: taken.drives,
        inventory: taken.inventory,
        lots: taken.lots,
        sourceIds: [
          ...new Set([...taken.sources, ...ownJobs.filter(job => !job.isProgressing).map(job => job.sourceId)]),
        ].slice(0, mostNamed),
        // Ranges that are made anew are those of every job.
        jobIds:
          taken.calibrations || ownJobs.length + goneJobs.length > mostNamed
            ? null
            : [...ownJobs.map(job => job.id), ...goneJobs],
        active: own(records),
        scans: own(scans),
        copies: own(copies),
        watches: own(watches),
        goneWatches: gone(taken.watches, watches),
        trials: own(trials),
        goneTrials: gone(taken.trials, trials),
        treatments: taken.treatments,
        specs: taken.specs,
        curves: taken.curves || taken.calibrations,
        comparisons: taken.comparisons,
        outcomes: taken.outcomes,
        otherJobs: jobs.length > ownJobs.length,
      }
      void stream.push({ event: 'change', data: JSON.stringify(change) })
    }
  }
}
