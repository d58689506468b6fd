import { expect, test } from 'vitest'
import { latest } from '../app/stores/collection.ts'

/** A value that is asked for again before the first answer: the later answer counts, and nobody goes on with none. */
test('whoever asked first waits for what was asked later', async () => {
  const answers: ((value: number) => void)[] = []
  const numbers = latest(0, () => new Promise<number>(resolve => answers.push(resolve)))
  let isOver = false
  const first = numbers.load(1).then(() => (isOver = true))
  const second = numbers.load(1)
  answers[0]!(1)
  await new Promise(resolve => setTimeout(resolve, 5))
  expect([isOver, numbers.value.value]).toEqual([false, 0])
  answers[1]!(2)
  await Promise.all([first, second])
  expect(numbers.value.value).toBe(2)
})

test('an answer that comes late does not take the place of a later one', async () => {
  const answers: ((value: number) => void)[] = []
  const numbers = latest(0, () => new Promise<number>(resolve => answers.push(resolve)))
  const [first, second] = [numbers.load(1), numbers.load(1)]
  answers[1]!(2)
  await second
  expect(numbers.value.value).toBe(2)
  answers[0]!(1)
  await first
  expect(numbers.value.value).toBe(2)
})
