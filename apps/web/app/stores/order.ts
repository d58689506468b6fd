import {
  anyTime,
  disksOf,
  JobState,
  type HoursSetting,
  type JobRecord,
  type OrderRecord,
  type SpecRecord,
  type TreatmentRecord,
  type VolumeRecord,
  type WorkerRecord,
} from '@hematine/core'
import { nameOfDisk } from '~/composables/disk-names'
import { oneAtATime } from '~/composables/oneAtATime'
import { StorageSerializers, useLocalStorage, useThrottleFn } from '@vueuse/core'
import { defineStore } from 'pinia'
import { computed, ref, shallowRef } from 'vue'
import type { DraftingProgress, LiveChange, SourceCounts } from '#shared/api'
import { call, type CallAnswer } from '~/composables/useCall'
import { collection, latest } from './collection'
import { link } from './link'
import { useNotices } from './notices'

const noCounts: SourceCounts = { all: 0, undecided: 0, reading: 0, measuring: 0, refused: 0 }
const noJobs = Object.fromEntries(JobState.options.map(state => [state, 0])) as Record<JobState, number>
const newestFirst = (a: { id: number }, b: { id: number }) => b.id - a.id
const oldestFirst = (a: { id: number }, b: { id: number }) => a.id - b.id
const ofOrder = (orderId: number) => ({ query: { orderId } })

export type JobAction = 'release' | 'hold' | 'resume' | 'cancel' | 'retry' | 'remove'
/** Which jobs are meant, as the routes of jobs take it. */
export interface JobQuery {
  states: JobState[]
  lotId?: number | 'none'
  sourceId?: number
  specKey?: string
  sample?: 'failed'
}

/** The open order and what is in it: fetched, then kept up to date by the server's events. Long lists are not here; whoever shows one asks for it. */
export const useOrder = defineStore('order', () => {
  const orders = collection<OrderRecord>(() => call('listOrders', {}), oldestFirst)
  // Written as JSON: a number that starts as nothing would otherwise be read back as text, and no order has that number.
  const chosenId = useLocalStorage<number | null>('hematine-order', null, { serializer: StorageSerializers.object })
  const scans = collection(orderId => call('listScans', ofOrder(orderId)), newestFirst)
  const watches = collection(orderId => call('listWatches', ofOrder(orderId)), oldestFirst)
  const copies = collection(orderId => call('listCopies', ofOrder(orderId)), newestFirst)
  /** Trials of the source that somebody looks at, and of no other. */
  const trials = collection(sourceId => call('listTrials', { query: { orderId: id()!, sourceId } }), oldestFirst)
  const triedSource = ref<number | null>(null)
  const inventory = latest<CallAnswer<'listInventory'>>([], orderId => call('listInventory', ofOrder(orderId)))
  const counts = latest(noCounts, orderId => call('countSources', ofOrder(orderId)))
  /** The order's work in figures, and the jobs that are being done; null before it is there. */
  const work = latest<CallAnswer<'summariseWork'> | null>(null, orderId => call('summariseWork', ofOrder(orderId)))
  const volumes = ref<VolumeRecord[]>([])
  const workers = ref<WorkerRecord[]>([])
  const hours = ref<HoursSetting>(anyTime)
  const drives = ref<CallAnswer<'listDrives'>>([])
  /** Every version of every treatment in the library. */
  const treatments = shallowRef<TreatmentRecord[]>([])
  /** The newest version of every delivery spec. */
  const specRecords = shallowRef<SpecRecord[]>([])
  const specs = computed(() => specRecords.value.map(record => record.spec))
  /** Goes up when sources or lots changed, with the numbers of the sources; views of them ask again. */
  const sourceChange = shallowRef<{ count: number; ids: ReadonlySet<number> }>({ count: 0, ids: new Set() })
  /** Goes up when jobs changed, other than in how far they are; views of them ask again. */
  const jobChange = ref(0)
  /** Goes up whenever a curve of rate and quality, or how far one is, has changed. */
  const curveChange = ref(0)
  /** The same of comparisons of treated frames. */
  const comparisonChange = ref(0)
  /** Goes up whenever results were held against their forecasts. */
  const outcomeChange = ref(0)
  const drafting = shallowRef<DraftingProgress | null>(null)
  const loaded = ref(false)
  const connected = ref(true)
  let closeLink: () => void = () => undefined

  const order = computed(
    () => orders.rows.value.find(entry => entry.id === chosenId.value) ?? orders.rows.value[0] ?? null,
  )
  const id = () => order.value?.id ?? null
  /** How many jobs are in which state. */
  const jobCounts = computed(() => work.value.value?.counts ?? noJobs)
  const active = computed(() => work.value.value?.active ?? [])
  const lanes = computed(() => work.value.value?.lanes ?? 1)
  const deliveryVolumes = computed(() => volumes.value.filter(volume => volume.role === 'delivery'))
  /** What is still to be written to each disk with delivery volumes that can be written to, with its room now; the one nearest to being full comes first. */
  const storage = computed(() =>
    (work.value.value?.storage ?? [])
      .flatMap(need => {
        const [disk] = disksOf(deliveryVolumes.value.filter(({ id }) => need.volumeIds.includes(id)))
        if (!disk || disk.freeBytes === null || need.bytes.expected <= 0) return []
        return [{ ...need, name: nameOfDisk(need.volumeIds, deliveryVolumes.value), freeBytes: disk.freeBytes }]
      })
      .sort((a, b) => b.bytes.high / Math.max(1, b.freeBytes) - a.bytes.high / Math.max(1, a.freeBytes)),
  )
  const sourceVolumes = computed(() => volumes.value.filter(volume => volume.role === 'source'))

  async function load(): Promise<void> {
    await orders.load(0)
    const orderId = id()
    await Promise.all([
      ...[scans, watches, copies, inventory, counts, work].map(part => part.load(orderId)),
      trials.load(orderId === null ? null : triedSource.value),
      loadVolumes(),
      loadWorkers(),
      loadHours(),
      loadDrives(),
      loadTreatments(),
      loadSpecs(),
    ])
    noteSources([])
    jobChange.value++
    loaded.value = true
  }

  async function loadVolumes(): Promise<void> {
    volumes.value = await call('listVolumes', {})
  }

  async function loadWorkers(): Promise<void> {
    workers.value = await call('listWorkers', {})
  }

  async function loadHours(): Promise<void> {
    hours.value = await call('workingHours', {})
  }

  /** Changes the hours in which jobs are worked on. @throws CallProblem */
  async function changeHours(changes: Partial<HoursSetting>): Promise<void> {
    hours.value = await call('changeWorkingHours', { body: changes })
    await work.load(id())
  }

  async function loadTreatments(): Promise<void> {
    treatments.value = await call('listTreatments', {})
  }

  async function loadSpecs(): Promise<void> {
    specRecords.value = await call('listSpecs', {})
  }

  /** Fetches the trials of a source and follows them from now on; null for none. @throws what the call throws */
  function followTrials(sourceId: number | null): Promise<void> {
    triedSource.value = sourceId
    return trials.load(sourceId)
  }

  async function loadDrives(): Promise<void> {
    drives.value = await call('listDrives', {})
  }

  const loadInventory = () => inventory.load(id())
  // Many rows may change within a second; their numbers are asked for now and then.
  const soon = (ask: () => Promise<void>, milliseconds: number) =>
    useThrottleFn(
      oneAtATime(() => ask().catch(() => undefined)),
      milliseconds,
      true,
    )
  const inventorySoon = soon(loadInventory, 700)
  const countSoon = soon(() => counts.load(id()), 700)
  const workSoon = soon(() => work.load(id()), 400)
  const workLater = soon(() => work.load(id()), 2500)

  /** Says that sources changed, here or elsewhere. */
  function noteSources(ids: readonly number[]): void {
    sourceChange.value = { count: sourceChange.value.count + 1, ids: new Set(ids) }
  }

  /** Says that jobs changed, here or elsewhere. */
  function noteJobs(): void {
    jobChange.value++
    void workSoon()
  }

  /** Puts the records of jobs that are being done in their places. @returns whether they were there, in the same state */
  function takeActive(records: readonly JobRecord[]): boolean {
    const now = work.value.value
    if (!now || records.length === 0) return false
    const fresh = new Map(records.map(job => [job.id, job]))
    const there = now.active.filter(job => fresh.get(job.id)?.state === job.state)
    work.value.value = {
      ...now,
      active: now.active.map(job => (there.includes(job) ? { ...job, ...fresh.get(job.id)! } : job)),
    }
    return there.length === records.length
  }

  /** Takes in what an event tells. */
  function take(change: LiveChange): void {
    orders.tell(change.orders)
    scans.tell(change.scans)
    copies.tell(change.copies)
    watches.tell(change.watches, change.goneWatches)
    trials.tell(
      change.trials.filter(trial => trial.sourceId === triedSource.value),
      change.goneTrials,
    )
    if (change.workers) workers.value = change.workers
    if (change.hours) hours.value = change.hours
    if (change.sourceIds.length > 0 || change.lots) {
      noteSources(change.sourceIds)
      void countSoon()
    }
    const isProgress = takeActive(change.active) && change.active.length === change.jobIds?.length
    if (isProgress) void workLater()
    else if (change.jobIds === null || change.jobIds.length > 0) noteJobs()
    else if (change.otherJobs || change.workers || change.hours) void workLater()
    if (change.volumes) void loadVolumes()
    if (change.drives) void loadDrives()
    if (change.treatments) void loadTreatments()
    if (change.specs) void loadSpecs()
    if (change.curves) curveChange.value++
    if (change.comparisons) comparisonChange.value++
    if (change.outcomes) outcomeChange.value++
    if (change.inventory) void inventorySoon()
  }

  function follow(): void {
    closeLink()
    const orderId = id()
    if (orderId === null) return
    closeLink = link(orderId, {
      reload: () => void load(),
      change: take,
      drafting: progress => {
        drafting.value = progress
      },
      connected: is => {
        connected.value = is
      },
    })
  }

  async function open(): Promise<void> {
    // The stream is opened first, so that nothing falls between it and the lists.
    await orders.load(0)
    follow()
    await load()
  }

  async function choose(orderId: number): Promise<void> {
    chosenId.value = orderId
    // What is shown of the order before is not this one's.
    work.value.value = null
    await open()
  }

  const notices = useNotices()

  /** Numbers of the order's jobs of a choice. @throws CallProblem */
  async function jobIds(query: JobQuery): Promise<number[]> {
    const orderId = id()
    if (orderId === null) return []
    return call('listJobIds', { query: { ...query, orderId, states: query.states.join(',') } })
  }

  /** @returns whether it was done to all of them */
  async function act(ids: number[], action: JobAction): Promise<boolean> {
    if (ids.length === 0) return true
    const answer = await notices.attempt(() => call('actOnJobs', { body: { ids, action } }))
    if (answer) noteJobs()
    const refused = answer?.refused ?? []
    if (refused.length > 0)
      notices.problem(
        refused.length === 1
          ? refused[0]!.reason
          : `${refused.length} of ${ids.length} jobs were left as they are. ${refused[0]!.reason}`,
      )
    return answer !== undefined && refused.length === 0
  }

  /** Acts on all jobs of a choice. @returns whether it was done to all of them */
  async function actOnAll(query: JobQuery, action: JobAction): Promise<boolean> {
    const ids = await notices.attempt(() => jobIds(query))
    return ids !== undefined && (await act(ids, action))
  }

  async function move(ids: number[], beforeId: number | null): Promise<void> {
    await notices.attempt(() => call('moveJobs', { body: { ids, beforeId } }))
    noteJobs()
  }

  return {
    orders: orders.rows,
    order,
    counts: counts.value,
    scans: scans.rows,
    watches: watches.rows,
    copies: copies.rows,
    trials: trials.rows,
    followTrials,
    inventory: inventory.value,
    work: work.value,
    drives,
    treatments,
    sourceChange,
    jobChange,
    curveChange,
    comparisonChange,
    outcomeChange,
    jobCounts,
    active,
    drafting,
    volumes,
    deliveryVolumes,
    storage,
    sourceVolumes,
    workers,
    hours,
    changeHours,
    lanes,
    specs,
    specRecords,
    loadSpecs,
    loaded,
    connected,
    noteSources,
    noteJobs,
    open,
    choose,
    load,
    loadVolumes,
    loadDrives,
    loadTreatments,
    loadInventory,
    inventorySoon,
    /** For views that change a kind's rows: asks, and takes in what the answer holds. */
    asking: { orders: orders.ask, scans: scans.ask, watches: watches.ask, copies: copies.ask, trials: trials.ask },
    forgetWatch: (gone: number) => watches.tell([], [gone]),
    forgetTrials: (gone: readonly number[]) => trials.tell([], gone),
    take,
    jobIds,
    act,
    actOnAll,
    move,
  }
})
