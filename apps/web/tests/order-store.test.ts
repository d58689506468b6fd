import { createPinia, setActivePinia } from 'pinia'
import { afterEach, beforeEach, describe, expect, test, vi } from 'vitest'
import { Agenda, anyTime, soundSpecs, type DiscCopyRecord, type JobRecord, type TrialRecord } from '@hematine/core'
import { atOnce } from '../../../tests/support/at-once.ts'
import type { LiveChange } from '../shared/api.ts'
import { useNotices } from '../app/stores/notices.ts'
import { useOrder } from '../app/stores/order.ts'

let answers: Record<string, unknown>
let asked: string[]

beforeEach(() => {
  vi.useFakeTimers()
  asked = []
  answers = {
    '/api/source-counts': { all: 0, undecided: 0, reading: 0, measuring: 0, refused: 0 },
    '/api/planned-sources': [],
    '/api/work': {
      ...atOnce(
        Agenda.make(1, [], [], { lanes: 1, cores: null }, { rates: new Map(), calibrations: new Map() }, new Date()),
      ).summary,
      active: [],
    },
  }
  vi.stubGlobal('fetch', async (address: string) => {
    const { pathname } = new URL(address, 'http://made.up')
    asked.push(pathname)
    // An answer may be held back by the test.
    const answer = await answers[pathname]
    if (answer === undefined) throw new TypeError('out of reach')
    return new Response(JSON.stringify(answer), { headers: { 'content-type': 'application/json' } })
  })
  setActivePinia(createPinia())
  useOrder().orders = [{ id: 1, code: 'T', name: 'Test', dueAt: null, lateWeight: 1, lotFineness: 'usual' as const }]
})
afterEach(() => {
  vi.useRealTimers()
  vi.unstubAllGlobals()
})

describe('acting on jobs', () => {
  test('says whether it was done to all of them', async () => {
    answers['/api/jobs/actions'] = { done: 2, refused: [] }
    expect(await useOrder().act([1, 2], 'release')).toBe(true)
    answers['/api/jobs/actions'] = { done: 1, refused: [{ id: 2, reason: 'The job is done already.' }] }
    expect(await useOrder().act([1, 2], 'release')).toBe(false)
    expect(useNotices().notices.at(-1)!.text).toBe('The job is done already.')
    delete answers['/api/jobs/actions']
    expect(await useOrder().act([1], 'release')).toBe(false)
  })

  test('on none of them asks nobody', async () => {
    expect(await useOrder().act([], 'hold')).toBe(true)
    expect(asked).toEqual([])
  })
})

describe('what the server tells', () => {
  /** A stream of events that the test speaks into. */
  class Stream extends EventTarget {
    close(): void {}
    readonly nothing: LiveChange = {
      orders: [],
      jobIds: [],
      active: [],
      otherJobs: false,
      sourceIds: [],
      lots: false,
      scans: [],
      copies: [],
      watches: [],
      goneWatches: [],
      workers: null,
      hours: null,
      volumes: false,
      inventory: false,
      drives: false,
      trials: [],
      goneTrials: [],
      treatments: false,
      specs: false,
      curves: false,
      comparisons: false,
      outcomes: false,
    }
    tell(change: Partial<LiveChange>): void {
      const data = JSON.stringify({ ...this.nothing, ...change })
      this.dispatchEvent(Object.assign(new Event('change'), { data }))
    }
  }
  async function opened(): Promise<{ order: ReturnType<typeof useOrder>; stream: Stream }> {
    const streams: Stream[] = []
    vi.stubGlobal(
      'EventSource',
      class extends Stream {
        constructor() {
          super()
          streams.push(this)
        }
      },
    )
    answers = {
      ...answers,
      '/api/working-hours': anyTime,
      '/api/orders': [{ id: 1, code: 'T', name: 'Test', dueAt: null, lateWeight: 1, lotFineness: 'usual' as const }],
      ...Object.fromEntries(
        ['volumes', 'workers', 'scans', 'watches', 'disc-copies', 'drives', 'treatments', 'specs'].map(name => [
          `/api/${name}`,
          [],
        ]),
      ),
    }
    const order = useOrder()
    await order.open()
    return { order, stream: streams.at(-1)! }
  }

  test('of working hours is taken over, and the plan is asked for with them', async () => {
    const { order, stream } = await opened()
    expect(order.hours).toEqual(anyTime)
    asked = []
    const hours = { hours: null, workOnUntil: '2026-11-30T19:00:00.000Z' }
    stream.tell({ hours })
    expect(order.hours).toEqual(hours)
    await vi.advanceTimersByTimeAsync(3000)
    expect(asked).toContain('/api/work')
  })

  test('while a call is under way is not undone by its answer', async () => {
    const { order, stream } = await opened()
    const answered = order.asking.copies(
      new Promise<DiscCopyRecord[]>(resolve => setTimeout(() => resolve([copy(1, 0), copy(2, 0)]), 100)),
      copies => copies,
    )
    stream.tell({ copies: [copy(1, 80)] })
    await vi.advanceTimersByTimeAsync(100)
    expect((await answered).map(entry => entry.sectorsDone)).toEqual([0, 0])
    expect(order.copies.map(entry => [entry.id, entry.sectorsDone])).toEqual([
      [2, 0],
      [1, 80],
    ])
    // What was told before a call is older than its answer.
    await order.asking.copies(Promise.resolve([copy(1, 90)]), copies => copies)
    expect(order.copies.find(entry => entry.id === 1)!.sectorsDone).toBe(90)
  })

  test('of trials is kept for the source that is looked at alone, whose trials are fetched when it is', async () => {
    const { order, stream } = await opened()
    expect(asked).not.toContain('/api/trials')
    const trial = (id: number, sourceId: number): TrialRecord => ({
      id,
      orderId: 1,
      lotId: null,
      sourceId,
      label: 'As found',
      steps: [],
      treatment: { steps: [], seconds: 1, tracks: [0], leftOut: [], result: null },
      spec: soundSpecs[0]!,
      moments: [],
      results: [],
      looks: 0,
      state: 'waiting',
      reason: null,
    })
    answers['/api/trials'] = [trial(1, 7)]
    await order.followTrials(7)
    stream.tell({ trials: [trial(2, 7), trial(3, 8)] })
    expect(order.trials.map(entry => entry.id)).toEqual([1, 2])
    answers['/api/trials'] = [trial(3, 8)]
    await order.followTrials(8)
    stream.tell({ trials: [trial(2, 7)], goneTrials: [3] })
    expect(order.trials).toEqual([])
    await order.followTrials(null)
    expect(asked.filter(path => path === '/api/trials')).toHaveLength(2)
  })

  test('while the lists are fetched is not undone by them, nor brought back when it is gone', async () => {
    const { order, stream } = await opened()
    const watch = {
      id: 3,
      orderId: 1,
      volumeId: 1,
      path: '',
      frameRate: { num: 24, den: 1 },
      growing: [],
      lookedAt: null,
      problem: null,
    }
    answers['/api/disc-copies'] = later([copy(2, 0), copy(1, 0)])
    answers['/api/watches'] = later([watch])
    const loading = order.load()
    await vi.advanceTimersByTimeAsync(50)
    stream.tell({ copies: [copy(1, 80), copy(5, 1)], goneWatches: [3] })
    await vi.advanceTimersByTimeAsync(100)
    await loading
    expect(order.copies.map(entry => [entry.id, entry.sectorsDone])).toEqual([
      [5, 1],
      [2, 0],
      [1, 80],
    ])
    expect(order.watches).toEqual([])
    await order.load()
    expect(order.copies.map(entry => [entry.id, entry.sectorsDone])).toEqual([
      [2, 0],
      [1, 0],
    ])
    expect(order.watches).toEqual([watch])
  })

  const later = <Answer>(answer: Answer) => new Promise<Answer>(resolve => setTimeout(() => resolve(answer), 100))
  const copy = (id: number, sectorsDone: number): DiscCopyRecord => ({
    id,
    orderId: 1,
    volumeId: 1,
    driveName: 'Stand-in drive',
    disc: 'a.iso',
    state: 'reading',
    sectorsDone,
    sectorsTotal: 100,
    unreadable: [],
    path: null,
    brought: 0,
    reason: null,
  })

  test('of running jobs is put in its place without asking; what moved between states is asked for', async () => {
    const running = { id: 5, state: 'running', progress: { part: 0.1 } } as JobRecord
    answers['/api/work'] = { ...(answers['/api/work'] as object), active: [] }
    const { order, stream } = await opened()
    order.work = { ...order.work!, active: [{ ...running, lotId: null, end: null }] }
    await vi.advanceTimersByTimeAsync(5000)
    asked = []
    const changes = order.jobChange
    order.take({ ...stream.nothing, jobIds: [5], active: [{ ...running, attempt: 2 }] })
    expect(order.active[0]!.attempt).toBe(2)
    expect(order.jobChange).toBe(changes)
    stream.tell({ jobIds: [5, 6] })
    expect(order.jobChange).toBe(changes + 1)
    await vi.advanceTimersByTimeAsync(3000)
    expect(asked).toContain('/api/work')
  })

  test('of a batch too large to name makes every list be asked for', async () => {
    const { order, stream } = await opened()
    const changes = order.jobChange
    stream.tell({ jobIds: null })
    expect(order.jobChange).toBe(changes + 1)
  })

  test('an answer for an order that is no longer open is dropped', async () => {
    const { order } = await opened()
    answers['/api/disc-copies'] = later([copy(1, 1)])
    const first = order.load()
    await vi.advanceTimersByTimeAsync(50)
    answers['/api/disc-copies'] = [copy(9, 9)]
    await order.load()
    await vi.advanceTimersByTimeAsync(200)
    await first
    expect(order.copies.map(entry => entry.id)).toEqual([9])
  })

  test('of a disc takes the place of what was known of it, newest first', async () => {
    const { order, stream } = await opened()
    stream.tell({ copies: [copy(1, 0), copy(2, 0)] })
    stream.tell({ copies: [copy(1, 50)] })
    expect(order.copies.map(entry => [entry.id, entry.sectorsDone])).toEqual([
      [2, 0],
      [1, 50],
    ])
  })

  test('of sources makes their numbers be asked for, and the inventory only while somebody looks at it', async () => {
    const { order, stream } = await opened()
    await vi.advanceTimersByTimeAsync(5000)
    asked = []
    stream.tell({ sourceIds: [4, 7] })
    expect([...order.sourceChange.ids]).toEqual([4, 7])
    await vi.advanceTimersByTimeAsync(1500)
    expect(asked).toEqual(['/api/source-counts'])
    await order.inventorySoon()
    await vi.advanceTimersByTimeAsync(1500)
    expect(asked).toContain('/api/planned-sources')
  })
})
