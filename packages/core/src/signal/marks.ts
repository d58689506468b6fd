import type { Plane } from './plane.ts'

export interface Mark {
  x: number
  y: number
  width: number
  height: number
}

/** Width to which pictures are reduced before they are compared. */
const reducedWidth = 360
/** Step between neighbours that counts as an edge, in codes. */
const edge = 14
/** Pictures must differ by so much from each other, on average, before what stays the same can be told from a still picture. */
const leastChange = 5
const fewestPictures = 4
/** Of the edges of one picture, at most this part may stay: more is scenery in front of a fixed camera. */
const mostPart = 0.35
/** Edges that belong together lie within so many reduced samples. */
const gap = 6
const fewestEdges = 24
/** A mark keeps its own level, on at least one side of each edge, within so many codes. */
const levelRange = 36
/** Thinner groups are lines, of a border or a scratch. */
const thinnest = 4
/** Reduced samples beside a border in which its own edge still shows. */
const borderMargin = 5
/** Around a mark the background changes, by so many codes on average, from picture to picture, at least so many times: a fixed camera shows the same around a thing of the scene. */
const changingRing = 14
const ringWidth = 8
const fewestChanges = 3
/** A mark covers at most this part of the frame. */
const mostArea = 0.12

/** A picture reduced by averaging, for comparing; `scale` is how many samples of the original make one. */
export interface Reduced {
  data: Float32Array
  width: number
  height: number
  scale: number
}

/** Reduces a plane to at most 360 columns by averaging squares. */
export function reduced({ data, width, height, stride }: Plane): Reduced {
  const scale = Math.max(1, Math.round(width / reducedWidth))
  const [columns, rows] = [Math.floor(width / scale), Math.floor(height / scale)]
  const result = new Float32Array(columns * rows)
  for (let row = 0; row < rows; row++) {
    for (let column = 0; column < columns; column++) {
      let sum = 0
      for (let y = 0; y < scale; y++) {
        const at = (row * scale + y) * stride + column * scale
        for (let x = 0; x < scale; x++) sum += data[at + x]!
      }
      result[row * columns + column] = sum / (scale * scale)
    }
  }
  return { data: result, width: columns, height: rows, scale }
}

function meanDifference(a: Reduced, b: Reduced): number {
  let sum = 0
  for (let index = 0; index < a.data.length; index++) sum += Math.abs(a.data[index]! - b.data[index]!)
  return sum / a.data.length
}

/**
 * Marks that never move: parts whose edges stand in the same place and direction, and at the same level, in every one of pictures that otherwise differ.
 * @param pictures from places far apart in the source
 * @param inside widths of black borders (left, top, right, bottom), whose own edges are no marks
 * @returns their places in the original's samples, largest first; none when the pictures are too few or too alike to tell
 */
export function marksIn(
  pictures: readonly Reduced[],
  inside: readonly [number, number, number, number] = [0, 0, 0, 0],
): Mark[] {
  // Of pictures that look alike only one counts.
  const distinct: Reduced[] = []
  for (const picture of pictures)
    if (distinct.every(other => meanDifference(other, picture) > leastChange)) distinct.push(picture)
  if (distinct.length < fewestPictures) return []
  const { width, height, scale } = distinct[0]!
  const [left, top, right, bottom] = inside.map(value =>
    value === 0 ? 1 : Math.ceil(value / scale) + borderMargin,
  ) as [number, number, number, number]
  const stays = new Uint8Array(width * height)
  let [staying, edges] = [0, 0]
  for (let y = Math.max(1, top); y < height - Math.max(1, bottom); y++) {
    for (let x = Math.max(1, left); x < width - Math.max(1, right); x++) {
      const at = y * width + x
      const first = distinct[0]!.data
      if (Math.abs(first[at + 1]! - first[at - 1]!) > edge || Math.abs(first[at + width]! - first[at - width]!) > edge)
        edges++
      if (isSteady(distinct, at, 1) || isSteady(distinct, at, width)) {
        stays[at] = 1
        staying++
      }
    }
  }
  if (staying === 0 || staying > edges * mostPart) return []
  return groups(stays, width, height)
    .filter(
      group =>
        group.count >= fewestEdges &&
        Math.min(group.width, group.height) >= thinnest &&
        group.width * group.height <= mostArea * width * height,
    )
    .filter(group => ringChanges(distinct, group) >= fewestChanges)
    .sort((a, b) => b.count - a.count)
    .map(group => ({
      x: group.x * scale,
      y: group.y * scale,
      width: group.width * scale,
      height: group.height * scale,
    }))
}

/** How often what lies around a mark differs from one picture to the next. */
function ringChanges(pictures: readonly Reduced[], mark: Mark): number {
  const { width, height } = pictures[0]!
  const [left, top, right, bottom] = [
    Math.max(0, mark.x - ringWidth),
    Math.max(0, mark.y - ringWidth),
    Math.min(width, mark.x + mark.width + ringWidth),
    Math.min(height, mark.y + mark.height + ringWidth),
  ]
  let changes = 0
  for (let index = 1; index < pictures.length; index++) {
    let [sum, count] = [0, 0]
    for (let y = top; y < bottom; y++)
      for (let x = left; x < right; x++) {
        if (x >= mark.x - 2 && x < mark.x + mark.width + 2 && y >= mark.y - 2 && y < mark.y + mark.height + 2) continue
        sum += Math.abs(pictures[index]!.data[y * width + x]! - pictures[index - 1]!.data[y * width + x]!)
        count++
      }
    if (count > 0 && sum / count >= changingRing) changes++
  }
  return changes
}

/** Whether every picture has an edge of the same direction here, one side of which keeps its level. */
function isSteady(pictures: readonly Reduced[], at: number, step: number): boolean {
  let sign = 0
  const sides = [
    { least: 255, most: 0 },
    { least: 255, most: 0 },
  ]
  for (const { data } of pictures) {
    const values = [data[at - step]!, data[at + step]!]
    const slope = values[1]! - values[0]!
    if (Math.abs(slope) <= edge) return false
    if (sign !== 0 && Math.sign(slope) !== sign) return false
    sign = Math.sign(slope)
    for (const [side, value] of values.entries()) {
      sides[side]!.least = Math.min(sides[side]!.least, value)
      sides[side]!.most = Math.max(sides[side]!.most, value)
    }
  }
  return sides.some(({ least, most }) => most - least <= levelRange)
}

function groups(marked: Uint8Array, width: number, height: number): (Mark & { count: number })[] {
  const result: (Mark & { count: number })[] = []
  const seen = new Uint8Array(marked.length)
  for (let start = 0; start < marked.length; start++) {
    if (!marked[start] || seen[start]) continue
    const waiting = [start]
    seen[start] = 1
    let [x0, y0, x1, y1, count] = [width, height, 0, 0, 0]
    for (let at = waiting.pop(); at !== undefined; at = waiting.pop()) {
      const [x, y] = [at % width, Math.floor(at / width)]
      ;[x0, y0, x1, y1] = [Math.min(x0, x), Math.min(y0, y), Math.max(x1, x), Math.max(y1, y)]
      count++
      for (let row = Math.max(0, y - gap); row <= Math.min(height - 1, y + gap); row++) {
        for (let column = Math.max(0, x - gap); column <= Math.min(width - 1, x + gap); column++) {
          const next = row * width + column
          if (marked[next] && !seen[next]) {
            seen[next] = 1
            waiting.push(next)
          }
        }
      }
    }
    result.push({ x: x0, y: y0, width: x1 - x0 + 1, height: y1 - y0 + 1, count })
  }
  return result
}
