import { createPinia, setActivePinia } from 'pinia'
import { afterEach, beforeEach, describe, expect, test, vi } from 'vitest'
import type { DiscCopyRecord } from '@hematine/core'
import { useNotices } from '../app/stores/notices.ts'
import { useOrder } from '../app/stores/order.ts'

let answers: Record<string, unknown>
let asked: string[]

beforeEach(() => {
  vi.useFakeTimers()
  asked = []
  answers = { '/api/source-counts': { all: 0, undecided: 0, reading: 0, measuring: 0, refused: 0 }, '/api/planned-sources': [] }
  vi.stubGlobal('fetch', async (address: string) => {
    const { pathname } = new URL(address, 'http://made.up')
    asked.push(pathname)
    const answer = answers[pathname]
    if (answer === undefined) throw new TypeError('out of reach')
    return new Response(JSON.stringify(answer), { headers: { 'content-type': 'application/json' } })
  })
  setActivePinia(createPinia())
  useOrder().orders = [{ id: 1, code: 'T', name: 'Test', dueAt: null }]
})
afterEach(() => {
  vi.useRealTimers()
  vi.unstubAllGlobals()
})

describe('acting on jobs', () => {
  const outcome = (id: number, reason: string | null = null) => ({ id, done: reason === null, reason })

  test('says whether it was done to all of them', async () => {
    answers['/api/jobs/actions'] = { outcomes: [outcome(1), outcome(2)] }
    expect(await useOrder().act([1, 2], 'release')).toBe(true)
    answers['/api/jobs/actions'] = { outcomes: [outcome(1), outcome(2, 'The job is done already.')] }
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
  const copy = (id: number, sectorsDone: number): DiscCopyRecord => ({ id, orderId: 1, volumeId: 1, driveName: 'Stand-in drive', disc: 'a.iso', state: 'reading', sectorsDone, sectorsTotal: 100, unreadable: [], path: null, brought: 0, reason: null })

  test('of a disc takes the place of what was known of it, newest first', () => {
    const order = useOrder()
    order.take({ copies: [copy(1, 0), copy(2, 0)] })
    order.take({ copies: [copy(1, 50)] })
    expect(order.copies.map(entry => [entry.id, entry.sectorsDone])).toEqual([[2, 0], [1, 50]])
  })

  test('of sources makes their numbers be asked for, and the inventory only while somebody looks at it', async () => {
    const order = useOrder()
    order.take({ sourceIds: [4, 7] })
    expect([...order.sourceChange.ids]).toEqual([4, 7])
    await vi.advanceTimersByTimeAsync(1500)
    expect(asked).toEqual(['/api/source-counts'])
    await order.inventorySoon()
    await vi.advanceTimersByTimeAsync(1500)
    expect(asked).toContain('/api/planned-sources')
  })
})
