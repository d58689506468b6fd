import { describe, expect, test } from 'vitest'
import { describeCondition, SourceFilter, type SourceCondition } from '../src/index.ts'

describe('conditions in words', () => {
  test.each<[SourceCondition, string]>([
    [{ field: 'finding', how: 'has', value: 'blocking' }, 'blocking'],
    [{ field: 'finding', how: 'has not', value: 'hum' }, 'no hum'],
    [{ field: 'jobs', how: 'has not', value: 'job' }, 'without a job'],
    [{ field: 'seconds', how: 'at least', value: 600 }, 'length at least 10 min'],
    [{ field: 'bytes', how: 'at most', value: 2.5e9 }, 'size at most 2500 MB'],
    [{ field: 'width', how: 'at least', value: 1280 }, 'width at least 1280 px'],
    [{ field: 'rate', how: 'at most', value: 29.97 }, 'fps at most 29.97'],
    [{ field: 'scan', how: 'is', value: 'top field first' }, 'scan is top field first'],
    [{ field: 'name', how: 'contains not', value: 'tape' }, 'name contains not tape'],
  ])('%j', (condition, words) => {
    expect(describeCondition(condition)).toBe(words)
  })
})

describe('a filter', () => {
  test.each([
    [[{ field: 'colour', how: 'is', value: 'x' }]],
    [[{ field: 'width', how: 'contains', value: 'x' }]],
    [[{ field: 'width', how: 'at least', value: 'wide' }]],
    [[{ field: 'finding', how: 'has', value: 'ghosts' }]],
    [[{ field: 'name', how: 'contains', value: '  ' }]],
    [Array.from({ length: 13 }, () => ({ field: 'jobs', how: 'has', value: 'job' }))],
    ['all'],
  ])('refuses %j', filter => {
    expect(SourceFilter.safeParse(filter).success).toBe(false)
  })
})
