import { describe, expect, test } from 'vitest'
import { isProfileOfRgb, profileName } from '../src/index.ts'

/** Profiles as ICC.1:2022 lays them out: a head of 128 bytes, a table of tags, and one tag behind it. */
function profileWith(tag: Uint8Array, colours = 'RGB '): Uint8Array {
  const bytes = new Uint8Array(144 + tag.length)
  const view = new DataView(bytes.buffer)
  bytes.set(new TextEncoder().encode(colours), 16)
  view.setUint32(128, 1)
  bytes.set(new TextEncoder().encode('desc'), 132)
  view.setUint32(136, 144)
  view.setUint32(140, tag.length)
  bytes.set(tag, 144)
  return bytes
}
/** Version 2: kind, four noughts, a count with the nought at the end, ASCII. */
function asciiTag(name: string): Uint8Array {
  const tag = new Uint8Array(90)
  tag.set(new TextEncoder().encode(`desc\0\0\0\0\0\0\0${String.fromCharCode(name.length + 1)}${name}`))
  return tag
}
/** Version 4: kind, four noughts, one record of twelve bytes, its language and country, bytes, place, and UTF-16. */
function unicodeTag(name: string): Uint8Array {
  const tag = new Uint8Array(28 + name.length * 2)
  const view = new DataView(tag.buffer)
  tag.set(new TextEncoder().encode('mluc'))
  view.setUint32(8, 1)
  view.setUint32(12, 12)
  tag.set(new TextEncoder().encode('enUS'), 16)
  view.setUint32(20, name.length * 2)
  view.setUint32(24, 28)
  ;[...name].forEach((letter, index) => view.setUint16(28 + index * 2, letter.charCodeAt(0)))
  return tag
}

describe('the name of a profile', () => {
  test('is read from a profile of version 2 and of version 4', () => {
    expect(profileName(profileWith(asciiTag('Skerry scanner')))).toBe('Skerry scanner')
    expect(profileName(profileWith(unicodeTag('Skerry größer')))).toBe('Skerry größer')
  })

  test('is "a profile" where it gives none, or is cut short anywhere', () => {
    const whole = profileWith(unicodeTag('Skerry'))
    for (let length = 0; length < whole.length; length++) expect(profileName(whole.slice(0, length))).toBe('a profile')
    expect(profileName(profileWith(asciiTag('')))).toBe('a profile')
  })
})

test('a profile is of red, green and blue, or of something else', () => {
  expect(isProfileOfRgb(profileWith(asciiTag('a')))).toBe(true)
  for (const other of ['CMYK', 'GRAY', 'Lab ']) expect(isProfileOfRgb(profileWith(asciiTag('a'), other))).toBe(false)
  expect(isProfileOfRgb(new Uint8Array(5))).toBe(false)
})
