import { describe, expect, test } from 'vitest'
import { compare, divide, equal, multiply, nearestRational, rational, toNumber } from '../src/index.ts'

describe('fractions', () => {
  test('are kept in lowest terms with the sign above the line', () => {
    expect(rational(50, 100)).toEqual({ num: 1, den: 2 })
    expect(rational(3, -6)).toEqual({ num: -1, den: 2 })
    expect(rational(0, -5)).toEqual({ num: 0, den: 1 })
  })

  test('refuse zero below the line and parts that are not whole', () => {
    expect(() => rational(1, 0)).toThrow('below the line')
    expect(() => rational(1.5, 2)).toThrow('whole numbers')
  })

  test('multiply, divide and compare exactly', () => {
    expect(multiply(rational(30000, 1001), rational(1001, 1000))).toEqual({ num: 30, den: 1 })
    expect(divide(rational(16, 9), rational(4, 3))).toEqual({ num: 4, den: 3 })
    expect(compare(rational(24000, 1001), rational(24))).toBeLessThan(0)
    expect(equal(rational(2, 4), { num: 1, den: 2 })).toBe(true)
  })

  test('are found near a decimal by continued fractions', () => {
    expect(nearestRational(29.97002997)).toEqual({ num: 30000, den: 1001 })
    expect(nearestRational(0.3333333333)).toEqual({ num: 1, den: 3 })
    // 355/113 is the best fraction for pi with a denominator of at most a thousand.
    expect(nearestRational(Math.PI, 1000)).toEqual({ num: 355, den: 113 })
    expect(toNumber(nearestRational(25))).toBe(25)
    expect(() => nearestRational(Number.NaN)).toThrow('NaN')
  })
})
