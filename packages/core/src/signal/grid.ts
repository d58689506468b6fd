import type { Plane } from './plane.ts'

/** Distance of the lines of a block grid: 8 samples in MPEG-1, MPEG-2, MPEG-4 part 2, DV, JPEG and (with 4x4 between) H.264. */
const gridDistance = 8
/** Steps larger than this are edges of the picture, not of blocks. */
const largestStep = 20
/** Keeps the ratio small where there is nothing but flat colour. */
const leastStep = 0.08

export interface Grid {
  /** Step at the strongest phase against the mean of the others; 1 = no grid. */
  strength: number
  /** By how much the steps at that phase stand out from the others, in codes. */
  step: number
  /** First column (or row) of a block, 0 to 7. */
  phase: number
}

/**
 * How strongly a picture steps at every eighth column. A step counts as far as it stands out from the steps on either side; of the columns of a
 * phase the loudest fifth is left out, so that straight lines of the picture do not pass for a grid.
 */
export function columnGrid(plane: Plane): Grid {
  return gridIn(plane, plane.width, plane.height, 1, plane.stride)
}

/** The same for every eighth row. */
export function rowGrid(plane: Plane): Grid {
  return gridIn(plane, plane.height, plane.width, plane.stride, 1)
}

function gridIn({ data }: Plane, length: number, breadth: number, along: number, across: number): Grid {
  const phases: number[][] = Array.from({ length: gridDistance }, () => [])
  for (let place = 2; place < length - 1; place++) {
    let sum = 0
    let count = 0
    for (let line = 0; line < breadth; line += 2) {
      const at = place * along + line * across
      const step = Math.abs(data[at]! - data[at - along]!)
      if (step > largestStep) continue
      const around = (Math.abs(data[at - along]! - data[at - 2 * along]!) + Math.abs(data[at + along]! - data[at]!)) / 2
      sum += Math.max(0, step - around)
      count++
    }
    if (count > 0) phases[place % gridDistance]!.push(sum / count)
  }
  const strengths = phases.map(values => {
    const kept = values.sort((a, b) => a - b).slice(0, Math.ceil(values.length * 0.8))
    return kept.length === 0 ? 0 : kept.reduce((sum, value) => sum + value, 0) / kept.length
  })
  const phase = strengths.indexOf(Math.max(...strengths))
  const others = strengths.filter((_, index) => index !== phase)
  const usual = others.reduce((sum, value) => sum + value, 0) / others.length
  return { strength: (strengths[phase]! + leastStep) / (usual + leastStep), step: strengths[phase]! - usual, phase }
}
