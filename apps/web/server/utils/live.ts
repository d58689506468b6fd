import { jobsWithSamples, listJobs, listOrders, listSources, listWorkers, type Change, type EntityManager } from '@hematine/database'
import type { EventStream } from 'h3'
import type { LiveChange } from '#shared/api'
import { useLog } from './log'

interface Listener {
  orderId: number
  stream: EventStream
}

/** Least time between two messages to a browser. */
const gatherMilliseconds = 200

/** Tells every open browser what changed in its order: changes are gathered for a moment, read once and sent to all. */
export class LiveHub {
  private readonly listeners = new Set<Listener>()
  private readonly changed = { source: new Set<number>(), job: new Set<number>(), sample: new Set<number>(), orders: false, workers: false, volumes: false }
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
    if (table === 'source' || table === 'job' || table === 'sample') this.changed[table].add(Number(id))
    else if (table === 'worker') this.changed.workers = true
    else if (table === 'volume') this.changed.volumes = true
    else if (table === 'work_order') this.changed.orders = true
    this.timer ??= setTimeout(() => {
      this.timer = null
      this.sending = this.sending.then(() => this.send()).catch((error: Error) => useLog().error({ error: error.message }, 'changes could not be sent to the browsers'))
    }, gatherMilliseconds)
  }

  /** After a gap in what was heard, browsers fetch everything anew. */
  tellAllToReload(): void {
    for (const { stream } of this.listeners) void stream.push({ event: 'reload', data: '{}' })
  }

  close(): void {
    if (this.timer) clearTimeout(this.timer)
    for (const { stream } of this.listeners) void stream.close()
    this.listeners.clear()
  }

  private take() {
    const { source, job, sample, orders, workers, volumes } = this.changed
    const taken = { sources: [...source], jobs: [...job], samples: [...sample], orders, workers, volumes }
    for (const set of [source, job, sample]) set.clear()
    Object.assign(this.changed, { orders: false, workers: false, volumes: false })
    return taken
  }

  private async send(): Promise<void> {
    const taken = this.take()
    const em = this.em()
    const jobIds = [...new Set([...taken.jobs, ...await jobsWithSamples(em, taken.samples)])]
    const jobs = jobIds.length > 0 ? await listJobs(em, { ids: jobIds }) : []
    const gone = (ids: number[], rows: { id: number }[]) => ids.filter(id => !rows.some(row => row.id === id))
    const sourceIds = [...new Set([...taken.sources, ...jobs.map(job => job.sourceId)])]
    const sources = sourceIds.length > 0 ? await listSources(em.fork(), { ids: sourceIds }) : []
    const orders = taken.orders ? await listOrders(em) : []
    const workers = taken.workers ? await listWorkers(em) : null
    for (const { orderId, stream } of this.listeners) {
      const change: LiveChange = {
        orders, workers, volumes: taken.volumes,
        jobs: jobs.filter(job => job.orderId === orderId), sources: sources.filter(source => source.orderId === orderId),
        goneJobs: gone(taken.jobs, jobs), goneSources: gone(taken.sources, sources),
      }
      void stream.push({ event: 'change', data: JSON.stringify(change) })
    }
  }
}
