import { describe, expect, test } from 'vitest'
import { comparePacketLists, isAsCompared, OrderWatch } from '../src/index.ts'

const packets = (sums: string, offset = 0) => [...sums].map((sum, index) => ({ sum, seconds: index * 0.04 + offset }))

describe('packets of a file', () => {
  test('are those that were made, whenever the container begins', () => {
    expect(comparePacketLists(packets('abcd'), packets('abcd', 1.4), 1.4)).toEqual({
      wanted: 4,
      found: 4,
      different: 0,
      firstAt: null,
    })
  })

  test('that hold something else are counted, and the first is placed', () => {
    expect(comparePacketLists(packets('abcd'), packets('axcy'), 0)).toMatchObject({ different: 2, firstAt: 0.04 })
  })

  test('that are lacking or too many are counted', () => {
    expect(comparePacketLists(packets('abcd'), packets('abc'), 0)).toMatchObject({
      found: 3,
      different: 1,
      firstAt: 0.12,
    })
    expect(comparePacketLists(packets('abc'), packets('abcd'), 0)).toMatchObject({ found: 4, different: 1 })
    expect(comparePacketLists([], packets('a'), 0)).toMatchObject({ wanted: 0, found: 1, different: 1 })
  })

  test('that are shown at another time differ, by more than what containers round', () => {
    const late = (by: number) =>
      packets('abc').map((entry, index) => (index === 1 ? { ...entry, seconds: 0.04 + by } : entry))
    expect(comparePacketLists(packets('abc'), late(0.001), 0).different).toBe(0)
    expect(comparePacketLists(packets('abc'), late(0.002), 0)).toMatchObject({ different: 1, firstAt: 0.04 })
  })

  test('without a time are compared by what they hold', () => {
    expect(
      comparePacketLists(
        packets('ab'),
        [
          { sum: 'a', seconds: null },
          { sum: 'b', seconds: null },
        ],
        0,
      ).different,
    ).toBe(0)
  })

  test('are as compared only with the same head', () => {
    const same = { parts: 'packets' as const, wanted: 4, found: 4, different: 0, firstAt: null, sameHead: true }
    expect(isAsCompared(same)).toBe(true)
    for (const other of [{ found: 5 }, { different: 1 }, { sameHead: false }])
      expect(isAsCompared({ ...same, ...other })).toBe(false)
  })
})

describe('the order of frames', () => {
  /** A bright bar that stands `at` points from the left; error adds to every second point. */
  const bar = (at: number, error = 0) =>
    Uint8Array.from({ length: 1024 }, (_, index) => (index % 32 === at % 32 ? 200 : 40) + (index % 2) * error)
  const watch = (treated: number[], made: number[], error = 0) => {
    const order = new OrderWatch()
    // Encoders look ahead, so treated frames are there first.
    for (const [index, at] of treated.entries()) order.expect(index, bar(at))
    for (const [index, at] of made.entries()) order.see(index, bar(at, error))
    return order.misplaced
  }
  const moving = [0, 1, 2, 3, 4, 5, 6, 7]

  test('is kept by frames that are like those that they were made of, however coarsely coded', () => {
    expect(watch(moving, moving)).toEqual([])
    expect(watch(moving, moving, 6)).toEqual([])
  })

  test('is broken by two that changed places, next to each other or up to three frames apart', () => {
    expect(watch(moving, [0, 1, 3, 2, 4, 5, 6, 7])).toEqual([2, 3])
    expect(watch(moving, [0, 1, 5, 3, 4, 2, 6, 7])).toContain(5)
    expect(watch(moving, [0, 1, 3, 2, 4, 5, 6, 7], 2)).toEqual([2, 3])
  })

  test('is not broken by pictures that stand still, flicker, or were coded as the one before', () => {
    expect(watch([3, 3, 3, 3], [3, 3, 3, 3])).toEqual([])
    expect(watch([0, 9, 0, 9, 0], [0, 9, 0, 9, 0])).toEqual([])
    expect(watch(moving, [0, 1, 1, 3, 3, 5, 5, 7])).toEqual([])
  })

  test('is watched where every frame is coded at once', () => {
    const order = new OrderWatch()
    for (const [index, at] of [0, 1, 3, 2, 4].entries()) {
      order.expect(index, bar(index))
      order.see(index, bar(at))
    }
    expect(order.misplaced).toEqual([2, 3])
  })

  test('does not hide frames that show something else than what they were made of, wholly or in part', () => {
    const order = new OrderWatch()
    const scene = (index: number) => Uint8Array.from({ length: 1024 }, (_, at) => 60 + ((at + index) % 32) * 4)
    const another = (index: number) => scene(index).reverse()
    // A sixteenth of the picture is green waste.
    const torn = (index: number) => scene(index).map((value, at) => (at < 256 && at % 32 < 8 ? 235 : value))
    const made = [scene, scene, another, scene, torn, scene, scene]
    for (const index of made.keys()) order.expect(index, scene(index))
    for (const [index, picture] of made.entries()) order.see(index, picture(index))
    expect(order.strange).toEqual([2, 4])
    expect(order.misplaced).toEqual([])
  })

  test('is not that of strange frames where they were coded coarsely, or as the one before', () => {
    const order = new OrderWatch()
    for (const index of moving) order.expect(index, bar(index))
    for (const [index, at] of [0, 1, 1, 3, 3, 5, 5, 7].entries()) order.see(index, bar(at, 12))
    expect(order.strange).toEqual([])
  })

  test('of pictures that cannot be looked at is not judged', () => {
    const order = new OrderWatch()
    order.expect(0, null)
    order.see(0, null)
    expect(order.misplaced).toEqual([])
  })
})
