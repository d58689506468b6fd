import { describe, expect, test } from 'vitest'
import { BoundedQueue } from '../src/ground/queue.ts'

const soon = () => new Promise(resolve => setTimeout(resolve, 5))

describe('the short queue between two who work side by side', () => {
  test('gives items in order and ends after the last', async () => {
    const queue = new BoundedQueue<number>(2)
    void (async () => {
      for (const item of [1, 2, 3, 4, 5]) await queue.put(item)
      queue.end()
    })()
    const taken = []
    for (let item = await queue.take(); item !== undefined; item = await queue.take()) taken.push(item)
    expect(taken).toEqual([1, 2, 3, 4, 5])
  })

  test('makes the producer wait while it is full', async () => {
    const queue = new BoundedQueue<number>(2)
    let put = 0
    void (async () => {
      for (const item of [1, 2, 3]) {
        await queue.put(item)
        put = item
      }
    })()
    await soon()
    expect(put).toBe(2)
    await queue.take()
    await soon()
    expect(put).toBe(3)
  })

  test('hands an error of the producer to the consumer, after what came before', async () => {
    const queue = new BoundedQueue<number>(2)
    await queue.put(1)
    queue.end(new Error('damaged'))
    expect(await queue.take()).toBe(1)
    await expect(queue.take()).rejects.toThrow('damaged')
  })

  test('tells the producer that nobody takes any more, and gives back what was never taken', async () => {
    const queue = new BoundedQueue<number>(1)
    await queue.put(1)
    const waiting = queue.put(2)
    queue.end()
    expect(await waiting).toBe(false)
    expect(queue.remains()).toEqual([1])
  })
})
