import { describe, expect, test } from 'vitest'
import { ref } from 'vue'
import { asItIs, type Supposed } from '@hematine/core'
import { supposedWords } from '../app/composables/supposed-words.ts'
import { clock, latenessInAll, moment, momentRange, untilWords } from '../app/composables/times.ts'
import { useView } from '../app/composables/useView.ts'

describe('times of day', () => {
  const now = new Date(2026, 10, 25, 21, 0, 0)
  const at = (hours: number, minutes: number, day = 25) => new Date(2026, 10, day, hours, minutes)

  test('name the day when it is another one', () => {
    expect(clock(at(8, 5))).toBe('08:05')
    expect(moment(at(23, 30), now)).toBe('23:30')
    expect(moment(at(8, 0, 27), now)).toBe('Fri 27 Nov 08:00')
  })

  test('as ranges name the day once, or twice when it changes within', () => {
    expect(momentRange({ expected: 900, low: 600, high: 9000 }, now)).toBe('21:10-23:30')
    expect(momentRange({ expected: 10_000, low: 9000, high: 14_400 }, now)).toBe('23:30-Thu 26 Nov 01:00')
    expect(momentRange({ expected: 61, low: 60, high: 62 }, now)).toBe('21:01')
  })

  test('are counted down in words', () => {
    expect(untilWords(at(17, 0, 28), now)).toBe('in 2 d 20 h')
    expect(untilWords(at(22, 5), now)).toBe('in 1 h 05 min')
    expect(untilWords(at(20, 48), now)).toBe('12 min ago')
  })
})

describe('what is supposed', () => {
  const outlook = {
    at: '2026-11-25T20:00:00.000Z',
    orders: [
      { id: 7, code: 'SL-7' },
      { id: 8, code: 'SL-8' },
    ],
  } as Parameters<typeof supposedWords>[1]
  const words = (change: Partial<Supposed>) => supposedWords({ ...asItIs, ...change }, outlook)

  test('is told in one line, in the order of what is supposed', () => {
    expect(words({})).toBe('')
    expect(words({ atAnyTime: true })).toBe('Work at any time')
    expect(words({ materialHere: true })).toBe('Announced material here at once')
    expect(words({ lanesMore: 1, atAnyTime: true, byDueTimes: true })).toBe(
      '1 lane more, as quick as these, work at any time, jobs by due times',
    )
    expect(words({ lanesMore: -2, first: [8, 7] })).toBe('2 lanes fewer, SL-8, SL-7 first')
    expect(words({ without: [7], due: [{ orderId: 8, dueAt: null }] })).toBe('Without SL-7, SL-8 not due')
  })
})

test('lateness of all orders is told as it is, and as they count where that is another', () => {
  expect(latenessInAll({ lateSeconds: 7200, countedSeconds: 7200 }, 1)).toBe('2 h 00 min')
  expect(latenessInAll({ lateSeconds: 7200, countedSeconds: 7200 }, 2)).toBe('2 h 00 min in all')
  expect(latenessInAll({ lateSeconds: 600, countedSeconds: 1800 }, 2)).toBe('10 min in all (30 min as orders count)')
})

describe('the view of a picture', () => {
  const make = () => useView(ref({ width: 1920, height: 1080 }), ref({ width: 480, height: 540 }))

  test('fits the whole picture in and centres it', () => {
    const { scale, place } = make()
    expect(scale.value).toBe(0.25)
    expect(place.value).toEqual({ x: 0, y: 135, width: 480, height: 270 })
  })

  test('keeps the point under the pointer when it zooms', () => {
    const { zoomTo, place } = make()
    zoomTo(2, 240, 270)
    const point = (x: number) => (x - place.value.x) / place.value.width
    const before = point(100)
    zoomTo(4, 100, 270)
    expect(point(100)).toBeCloseTo(before, 9)
  })

  test('never shows beyond the edge of a picture larger than its pane', () => {
    const { zoomTo, pan, place } = make()
    zoomTo(2)
    pan(100_000, 100_000)
    expect([place.value.x, place.value.y]).toEqual([0, 0])
    pan(-200_000, -200_000)
    expect([place.value.x, place.value.y]).toEqual([480 - 3840, 540 - 2160])
  })

  test('steps through whole zooms and back to fit', () => {
    const { larger, smaller, zoom, scale } = make()
    larger()
    expect(scale.value).toBe(0.5)
    larger()
    larger()
    expect(zoom.value).toBe(2)
    for (let step = 0; step < 4; step++) smaller()
    expect(zoom.value).toBeNull()
  })
})
