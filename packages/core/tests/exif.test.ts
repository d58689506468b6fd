import { describe, expect, test } from 'vitest'
import { uprightExif } from '../src/index.ts'

/** Camera data written by hand after TIFF 6.0 and Exif 2.32: two entries, orientation 6 among them, and a second directory behind. */
function cameraData(isLittle: boolean): Uint8Array {
  const bytes = new Uint8Array(8 + 2 + 2 * 12 + 4)
  const view = new DataView(bytes.buffer)
  view.setUint16(0, isLittle ? 0x4949 : 0x4d4d)
  view.setUint16(2, 42, isLittle)
  view.setUint32(4, 8, isLittle)
  view.setUint16(8, 2, isLittle)
  const entry = (at: number, tag: number, kind: number, value: number) => {
    view.setUint16(at, tag, isLittle)
    view.setUint16(at + 2, kind, isLittle)
    view.setUint32(at + 4, 1, isLittle)
    view.setUint16(at + 8, value, isLittle)
  }
  entry(10, 0x0112, 3, 6)
  entry(22, 0x0128, 3, 2)
  view.setUint32(34, 1234, isLittle)
  return bytes
}

describe('camera data of a picture that was turned upright', () => {
  test.each([true, false])('says so, and points at no small picture of before; lowest byte first: %s', isLittle => {
    const before = cameraData(isLittle)
    const after = uprightExif(before)
    const view = new DataView(after.buffer)
    expect([view.getUint16(18, isLittle), view.getUint16(30, isLittle), view.getUint32(34, isLittle)]).toEqual([
      1, 2, 0,
    ])
    // What was handed over stays as it was.
    expect(before).toEqual(cameraData(isLittle))
  })

  test('may have its name before it', () => {
    const named = new Uint8Array([...new TextEncoder().encode('Exif'), 0, 0, ...cameraData(true)])
    expect(uprightExif(named)).toEqual(uprightExif(cameraData(true)))
  })

  test.each([0, 1, 13, 20, 37])('cut off after %i bytes stays as it is', length => {
    const cut = cameraData(true).slice(0, length)
    expect(uprightExif(cut)).toEqual(cut)
  })
})
