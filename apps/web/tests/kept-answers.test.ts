import { afterEach, beforeEach, expect, test, vi } from 'vitest'
import { KeptAnswers } from '../server/utils/kept-answers.ts'

/** Answers that take long are worked out as seldom as they take long. */
beforeEach(() => {
  vi.useFakeTimers()
})
afterEach(() => {
  vi.useRealTimers()
})

/** Counts how often it is worked out, each time in so many milliseconds. */
function working(milliseconds: number) {
  let times = 0
  return {
    times: () => times,
    work: async () => {
      times++
      await vi.advanceTimersByTimeAsync(milliseconds)
      return times
    },
  }
}

test('stands while nothing changes, for as long as is said', async () => {
  const answers = new KeptAnswers<number>(60_000)
  const { work, times } = working(0)
  await answers.get('a', 1, work)
  vi.advanceTimersByTime(59_000)
  expect(await answers.get('a', 1, work)).toBe(1)
  vi.advanceTimersByTime(2000)
  expect(await answers.get('a', 1, work)).toBe(2)
  expect(times()).toBe(2)
})

test('stands twenty times as long as it took, whatever changes: also beyond what is said', async () => {
  const answers = new KeptAnswers<number>(5000)
  const { work } = working(1000)
  await answers.get('a', 1, work)
  vi.advanceTimersByTime(18_000)
  expect(await answers.get('a', 2, work)).toBe(1)
  vi.advanceTimersByTime(2000)
  expect(await answers.get('a', 2, work)).toBe(2)
})

test('is worked out once for all who wait for it, also where something changes meanwhile', async () => {
  const answers = new KeptAnswers<string>(5000)
  let finish = (_: string) => {}
  const slow = vi.fn(() => new Promise<string>(resolve => (finish = resolve)))
  const waiting = [1, 2, 3].map(version => answers.get('a', version, slow))
  vi.advanceTimersByTime(100_000)
  waiting.push(answers.get('a', 4, slow))
  finish('done')
  expect(await Promise.all(waiting)).toEqual(['done', 'done', 'done', 'done'])
  expect(slow).toHaveBeenCalledTimes(1)
})

test('that failed, or was told to be forgotten, is worked out anew', async () => {
  const answers = new KeptAnswers<string>(5000)
  await expect(answers.get('a', 1, () => Promise.reject(new Error('away')))).rejects.toThrow('away')
  expect(await answers.get('a', 1, () => Promise.resolve('one'))).toBe('one')
  answers.forget()
  expect(await answers.get('a', 1, () => Promise.resolve('two'))).toBe('two')
})

test('answers to many questions are not kept for good', async () => {
  const answers = new KeptAnswers<number>(5000)
  const asked = vi.fn(async (question: number) => question)
  for (let question = 0; question < 100; question++) await answers.get(`${question}`, 1, () => asked(question))
  await answers.get('99', 1, () => asked(99))
  expect(asked).toHaveBeenCalledTimes(100)
  await answers.get('0', 1, () => asked(0))
  expect(asked).toHaveBeenCalledTimes(101)
})
