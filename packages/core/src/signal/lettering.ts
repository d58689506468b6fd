import type { Plane } from './plane.ts'

/** Cells that a picture is looked at in: so many to its height, each twice as wide as high. Small letters fill small ones, large letters large ones. */
const cellsDown = [72, 36]
const leastCellHeight = 6
/** Difference between the two tones of lettering, in codes, and how near to one of them its pixels are, as a part of it. */
const leastContrast = 60
const nearTone = 0.25
const leastTwoToned = 0.62
/** Changes between the tones along a line of a cell, and down a column of it: fewer is an edge, more is a pattern or noise. */
const changesAcross = { least: 1.2, mostPart: 0.35 }
const leastChangesDown = 0.4
/** Cells beside each other that make a line of lettering; one in between may be a space. */
const leastRun = 4

/**
 * Part of a picture that looks like lines of lettering: two tones, changing along each line as letters do, in cells beside each other.
 * It is a measure for choosing what to look at, not a proof: railings and brickwork can pass for it.
 * @returns 0 to 1
 */
export function letteringOf(plane: Plane): number {
  return Math.max(
    ...cellsDown.map(cells => letteringIn(plane, Math.max(leastCellHeight, Math.round(plane.height / cells)))),
  )
}

function letteringIn(plane: Plane, height: number): number {
  const width = 2 * height
  const [columns, rows] = [Math.floor(plane.width / width), Math.floor(plane.height / height)]
  if (columns < leastRun || rows < 1) return 0
  let lettering = 0
  for (let row = 0; row < rows; row++) {
    let [run, gap] = [0, 0]
    const endRun = () => {
      if (run >= leastRun) lettering += run
      ;[run, gap] = [0, 0]
    }
    for (let column = 0; column < columns; column++) {
      if (isLettered(plane, column * width, row * height, width, height)) {
        run++
        gap = 0
      } else if (++gap > 1) endRun()
    }
    endRun()
  }
  return lettering / (columns * rows)
}

function isLettered({ data, stride }: Plane, left: number, top: number, width: number, height: number): boolean {
  let [low, high] = [255, 0]
  for (let y = top; y < top + height; y++)
    for (let at = y * stride + left; at < y * stride + left + width; at++) {
      const value = data[at]!
      if (value < low) low = value
      if (value > high) high = value
    }
  const contrast = high - low
  if (contrast < leastContrast) return false
  const middle = (low + high) / 2
  const near = contrast * nearTone
  let [toned, across, down] = [0, 0, 0]
  for (let y = top; y < top + height; y++)
    for (let x = left; x < left + width; x++) {
      const at = y * stride + x
      const value = data[at]!
      if (value - low <= near || high - value <= near) toned++
      if (x > left && value > middle !== data[at - 1]! > middle) across++
      if (y > top && value > middle !== data[at - stride]! > middle) down++
    }
  const eachLine = across / height
  return (
    toned >= leastTwoToned * width * height &&
    eachLine >= changesAcross.least &&
    eachLine <= changesAcross.mostPart * width &&
    down / width >= leastChangesDown
  )
}
