import {
  builtInSpecs,
  type DiscCopyRecord,
  type DriveRecord,
  type JobRecord,
  type OrderRecord,
  type OtherWork,
  type PlannedRecord,
  type ScanRecord,
  type TreatmentRecord,
  type TrialRecord,
  type VolumeRecord,
  type WatchRecord,
  type WorkerRecord,
} from '@hematine/core'
import { StorageSerializers, useLocalStorage, useThrottleFn } from '@vueuse/core'
import { defineStore } from 'pinia'
import { computed, ref, shallowRef } from 'vue'
import { LiveChange, type SourceCounts } from '#shared/api'
import { readable } from '#shared/readable'
import { addressOf, call, databaseAway, tellLeftOut } from '~/composables/useCall'
import { useNotices } from './notices'
import { Told } from './told'

/** Between two questions for other orders' work. */
const otherWorkMilliseconds = 15_000

/** Puts the answer of the latest question only: of two that overlap the first may be answered last. */
function latestOnly(): <Answer>(question: Promise<Answer>, put: (answer: Answer) => void) => Promise<void> {
  let asked = 0
  return async (question, put) => {
    const mine = ++asked
    const answer = await question
    if (mine === asked) put(answer)
  }
}

/** The open order and all that is in it: fetched once, then kept up to date by the server's events. */
export const useOrder = defineStore('order', () => {
  const orders = ref<OrderRecord[]>([])
  // Written as JSON: a number that starts as nothing would otherwise be read back as text, and no order has that number.
  const chosenId = useLocalStorage<number | null>('hematine-order', null, { serializer: StorageSerializers.object })
  const jobs = shallowRef(new Map<number, JobRecord>())
  const volumes = ref<VolumeRecord[]>([])
  const workers = ref<WorkerRecord[]>([])
  const counts = ref<SourceCounts>({ all: 0, undecided: 0, reading: 0, measuring: 0, refused: 0 })
  const scans = ref<ScanRecord[]>([])
  const watches = ref<WatchRecord[]>([])
  const copies = ref<DiscCopyRecord[]>([])
  const drives = ref<DriveRecord[]>([])
  const inventory = shallowRef<PlannedRecord[]>([])
  const trials = shallowRef(new Map<number, TrialRecord>())
  /** Every version of every treatment in the library. */
  const treatments = shallowRef<TreatmentRecord[]>([])
  /** Goes up when sources or lots changed, with the numbers of the sources; views of them ask again. */
  const sourceChange = shallowRef<{ count: number; ids: ReadonlySet<number> }>({ count: 0, ids: new Set() })
  /** Work of other orders that takes its turn on the same lanes. */
  const otherWork = shallowRef<OtherWork[]>([])
  const loaded = ref(false)
  const connected = ref(true)
  /** Goes up with each change of jobs, for views that fetch more about them. */
  const jobChanges = ref(0)
  let events: EventSource | null = null
  let asking: ReturnType<typeof setInterval> | undefined
  const told = new Told()
  const latestCounts = latestOnly()
  const latestInventory = latestOnly()
  const latestOther = latestOnly()

  const order = computed(() => orders.value.find(entry => entry.id === chosenId.value) ?? orders.value[0] ?? null)
  const jobList = computed(() => [...jobs.value.values()].sort((a, b) => a.position - b.position || a.id - b.id))
  const drafts = computed(() => jobList.value.filter(job => job.state === 'draft'))
  const active = computed(() =>
    jobList.value.filter(job => job.state === 'queued' || job.state === 'running' || job.state === 'placing'),
  )
  const waiting = computed(() => jobList.value.filter(job => job.state === 'waiting' || job.state === 'held'))
  const settled = computed(() => jobList.value.filter(job => job.state === 'done' || job.state === 'failed'))
  const lanes = computed(() =>
    Math.max(
      1,
      workers.value.reduce((sum, worker) => sum + worker.lanes, 0),
    ),
  )
  const deliveryVolumes = computed(() => volumes.value.filter(volume => volume.role === 'delivery'))
  const sourceVolumes = computed(() => volumes.value.filter(volume => volume.role === 'source'))

  async function load(): Promise<void> {
    const begun = told.now
    orders.value = told.merged(begun, 'orders', await call('listOrders', {}), orders.value).sort((a, b) => a.id - b.id)
    const id = order.value?.id
    const query = { orderId: id ?? 0 }
    const [planned, places, people, folders, watched, discs] = await Promise.all([
      id ? call('listJobs', { query }) : [],
      call('listVolumes', {}),
      call('listWorkers', {}),
      id ? call('listScans', { query }) : [],
      id ? call('listWatches', { query }) : [],
      id ? call('listCopies', { query }) : [],
    ])
    copies.value = told.merged(begun, 'copies', discs, copies.value).sort((a, b) => b.id - a.id)
    const [tried] = await Promise.all([
      id ? call('listTrials', { query }) : [],
      loadDrives(),
      loadInventory(),
      loadTreatments(),
    ])
    trials.value = new Map(told.merged(begun, 'trials', tried, trials.value.values()).map(trial => [trial.id, trial]))
    scans.value = told.merged(begun, 'scans', folders, scans.value).sort((a, b) => b.id - a.id)
    watches.value = told.merged(begun, 'watches', watched, watches.value).sort((a, b) => a.id - b.id)
    noteSources([])
    await loadCounts()
    jobs.value = new Map(told.merged(begun, 'jobs', planned, jobs.value.values()).map(job => [job.id, job]))
    volumes.value = places
    workers.value = people
    jobChanges.value++
    loaded.value = true
  }

  async function loadVolumes(): Promise<void> {
    volumes.value = await call('listVolumes', {})
  }

  async function loadTreatments(): Promise<void> {
    treatments.value = await call('listTreatments', {})
  }

  /** Other orders' jobs are not told of here as they change, so they are asked for now and then. */
  async function loadOtherWork(): Promise<void> {
    const id = order.value?.id
    if (id)
      await latestOther(call('listOtherWork', { query: { orderId: id } }), answer => {
        otherWork.value = answer
      })
  }

  async function loadDrives(): Promise<void> {
    drives.value = await call('listDrives', {})
  }

  async function loadInventory(): Promise<void> {
    await latestInventory(
      order.value ? call('listInventory', { query: { orderId: order.value.id } }) : Promise.resolve([]),
      answer => {
        inventory.value = answer
      },
    )
  }

  async function loadCounts(): Promise<void> {
    const id = order.value?.id
    if (id)
      await latestCounts(call('countSources', { query: { orderId: id } }), answer => {
        counts.value = answer
      })
  }

  /** Says that sources changed, here or elsewhere. */
  function noteSources(ids: readonly number[]): void {
    sourceChange.value = { count: sourceChange.value.count + 1, ids: new Set(ids) }
  }
  // Many sources may come in within a second; their numbers are asked for now and then.
  const inventorySoon = useThrottleFn(() => loadInventory().catch(() => undefined), 700, true)
  const countSoon = useThrottleFn(() => loadCounts().catch(() => undefined), 700, true)

  /** Asks the server, and puts the records of its answer into the cache, unless an event told of them meanwhile. @throws what the call throws */
  async function ask<Answer>(
    question: Promise<Answer>,
    records: (answer: Answer) => Partial<LiveChange>,
  ): Promise<Answer> {
    const begun = told.now
    const answer = await question
    take(told.untold(begun, records(answer)))
    return answer
  }

  /** Puts records into the cache as they are. */
  function take(change: Partial<LiveChange>): void {
    if (change.orders?.length) {
      const others = orders.value.filter(entry => !change.orders!.some(fresh => fresh.id === entry.id))
      orders.value = [...others, ...change.orders].sort((a, b) => a.id - b.id)
    }
    if (change.sourceIds?.length || change.lots) {
      noteSources(change.sourceIds ?? [])
      void countSoon()
    }
    if (change.scans?.length)
      scans.value = [
        ...change.scans,
        ...scans.value.filter(scan => !change.scans!.some(fresh => fresh.id === scan.id)),
      ].sort((a, b) => b.id - a.id)
    if (change.copies?.length)
      copies.value = [
        ...change.copies,
        ...copies.value.filter(copy => !change.copies!.some(fresh => fresh.id === copy.id)),
      ].sort((a, b) => b.id - a.id)
    if (change.watches?.length || change.goneWatches?.length) {
      const others = watches.value.filter(
        watch => !change.watches?.some(fresh => fresh.id === watch.id) && !change.goneWatches?.includes(watch.id),
      )
      watches.value = [...others, ...(change.watches ?? [])].sort((a, b) => a.id - b.id)
    }
    if (change.jobs?.length || change.goneJobs?.length) {
      const next = new Map(jobs.value)
      for (const job of change.jobs ?? []) next.set(job.id, job)
      for (const id of change.goneJobs ?? []) next.delete(id)
      jobs.value = next
      jobChanges.value++
    }
    if (change.trials?.length || change.goneTrials?.length) {
      const next = new Map(trials.value)
      for (const trial of change.trials ?? []) next.set(trial.id, trial)
      for (const id of change.goneTrials ?? []) next.delete(id)
      trials.value = next
    }
    if (change.workers) workers.value = change.workers
  }

  function follow(): void {
    events?.close()
    if (!order.value) return
    const source = new EventSource(addressOf('liveChanges', { query: { orderId: order.value.id } }))
    let broken = false
    source.addEventListener('ready', () => {
      connected.value = true
      // What happened while the line was down is fetched, not guessed.
      if (broken) void load()
      broken = false
    })
    source.addEventListener('error', () => {
      connected.value = false
      broken = true
    })
    source.addEventListener('away', () => {
      databaseAway.value = true
    })
    source.addEventListener('reload', () => void load())
    source.addEventListener('change', event => {
      const { answer: change, leftOut } = readable(LiveChange, JSON.parse((event as MessageEvent<string>).data))
      tellLeftOut(leftOut)
      told.note(change)
      take(change)
      if (change.volumes) void loadVolumes()
      if (change.drives) void loadDrives()
      if (change.treatments) void loadTreatments()
      if (change.inventory) void inventorySoon()
    })
    events = source
  }

  async function open(): Promise<void> {
    // The stream is opened first, so that nothing falls between it and the lists.
    orders.value = await call('listOrders', {})
    follow()
    await load()
    void loadOtherWork().catch(() => undefined)
    asking ??= setInterval(() => void loadOtherWork().catch(() => undefined), otherWorkMilliseconds)
  }

  async function choose(id: number): Promise<void> {
    chosenId.value = id
    await open()
  }

  const notices = useNotices()

  /** @returns whether it was done to all of them */
  async function act(
    ids: number[],
    action: 'release' | 'hold' | 'resume' | 'cancel' | 'retry' | 'remove',
  ): Promise<boolean> {
    if (ids.length === 0) return true
    const answer = await notices.attempt(() => call('actOnJobs', { body: { ids, action } }))
    const refused = answer?.outcomes.filter(outcome => !outcome.done) ?? []
    if (refused.length > 0)
      notices.problem(
        refused.length === 1
          ? refused[0]!.reason!
          : `${refused.length} of ${ids.length} jobs were left as they are. ${refused[0]!.reason}`,
      )
    return answer !== undefined && refused.length === 0
  }

  async function move(ids: number[], beforeId: number | null): Promise<void> {
    await notices.attempt(() => ask(call('moveJobs', { body: { ids, beforeId } }), moved => ({ jobs: moved })))
  }

  return {
    orders,
    order,
    counts,
    scans,
    watches,
    copies,
    drives,
    inventory,
    trials,
    otherWork,
    treatments,
    sourceChange,
    noteSources,
    jobs,
    jobList,
    drafts,
    active,
    waiting,
    settled,
    volumes,
    deliveryVolumes,
    sourceVolumes,
    workers,
    lanes,
    specs: builtInSpecs,
    loaded,
    connected,
    jobChanges,
    open,
    choose,
    load,
    loadVolumes,
    loadDrives,
    loadTreatments,
    loadInventory,
    inventorySoon,
    ask,
    take,
    act,
    move,
  }
})
