import { createPinia, setActivePinia } from 'pinia'
import { beforeEach, expect, test } from 'vitest'
import type { JobRecord, Range } from '@hematine/core'
import { usePlan } from '../app/composables/usePlan.ts'
import { useOrder } from '../app/stores/order.ts'

const exactly = (seconds: number): Range => ({ expected: seconds, low: seconds, high: seconds })
const job = (id: number, state: JobRecord['state'], position: number, seconds: number) =>
  ({ id, state, position, progress: null, forecast: { seconds: exactly(seconds), bytes: exactly(1) } }) as JobRecord

beforeEach(() => {
  setActivePinia(createPinia())
})

test("the lanes are every order's: what another order runs, or has before a job, moves its end", () => {
  const order = useOrder()
  order.jobs = new Map([job(1, 'waiting', 3, 10), job(2, 'draft', 9, 7)].map(entry => [entry.id, entry]))
  const plan = usePlan(true)
  expect(plan.value.places.get(1)!.end.expected).toBe(10)
  order.otherWork = [
    { id: 50, position: 8, isActive: true, seconds: exactly(100) },
    { id: 51, position: 2, isActive: false, seconds: exactly(20) },
    { id: 52, position: 5, isActive: false, seconds: exactly(40) },
    { id: 53, position: 1, isActive: false, seconds: null },
  ]
  // 100 that runs, 20 before it, its own 10; then 40 after it, and drafts come last.
  expect(plan.value.places.get(1)!.end.expected).toBe(130)
  expect(plan.value.places.get(2)!.end.expected).toBe(177)
  expect([...plan.value.places.keys()].sort()).toEqual([1, 2])
  // What this order takes is its own.
  expect(plan.value.deviceSeconds.expected).toBe(17)
})
