import { describe, expect, test } from 'vitest'
import {
  bordersInAll,
  bordersOf,
  chromaOf,
  columnGrid,
  combing,
  correlations,
  decibels,
  detailOf,
  fieldOf,
  flatPart,
  histogram,
  histogramChange,
  levelsOf,
  marksIn,
  meanChange,
  noiseOf,
  percentileOf,
  powerAt,
  profilesOf,
  reduced,
  rowGrid,
  shiftBetween,
  SoundGauge,
  stayingPart,
  type Plane,
} from '../src/index.ts'
import { seeded } from '../../../tests/support/seeded.ts'

/** Gaussian numbers of standard deviation 1 (Box and Muller). */
function gaussian(random: () => number): number {
  return Math.sqrt(-2 * Math.log(random() + 1e-12)) * Math.cos(2 * Math.PI * random())
}

function plane(width: number, height: number, value: (x: number, y: number) => number): Plane {
  const data = new Uint8Array(width * height)
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) data[y * width + x] = Math.max(0, Math.min(255, Math.round(value(x, y))))
  return { data, width, height, stride: width }
}

describe('levels', () => {
  test('of a ramp from 0 to 255 are its own percentiles', () => {
    const counts = histogram(plane(256, 4, x => x))
    expect(counts.every(count => count === 4)).toBe(true)
    expect(percentileOf(counts, 0.5)).toBe(128)
    const levels = levelsOf(counts)
    expect(levels.mean).toBeCloseTo(127.5)
    expect([levels.low, levels.high]).toEqual([2, 253])
    // 0 to 12 and 239 to 255: 30 of 256 values.
    expect(levels.illegal).toBeCloseTo(30 / 256)
  })

  test('of a flat picture have all pixels at the top', () => {
    expect(levelsOf(histogram(plane(16, 16, () => 120))).atTop).toBe(1)
  })

  test('a histogram that moves to other classes has changed wholly, one that stays not at all', () => {
    const [dark, bright] = [histogram(plane(16, 16, () => 30)), histogram(plane(16, 16, () => 200))]
    expect(histogramChange(dark, bright)).toBe(1)
    expect(histogramChange(dark, dark)).toBe(0)
  })

  test('the mean change is that of the samples', () => {
    expect(
      meanChange(
        plane(16, 16, () => 100),
        plane(16, 16, x => (x % 4 < 2 ? 103 : 100)),
      ),
    ).toBeCloseTo(1.5)
  })

  test('flat parts are those equal to their neighbour', () => {
    expect(flatPart(plane(11, 2, x => (x < 6 ? 10 : x * 10)))).toBeCloseTo(0.5)
  })

  test('neutral chroma has no saturation, a far one its distance', () => {
    expect(
      chromaOf(
        plane(8, 8, () => 128),
        plane(8, 8, () => 128),
      ),
    ).toEqual({ saturation: 0, vivid: 0 })
    expect(
      chromaOf(
        plane(8, 8, () => 128 + 30),
        plane(8, 8, () => 128 - 40),
      ),
    ).toEqual({ saturation: 50, vivid: 1 })
    // A red dot on grey: neutral but for a sixty-fourth.
    expect(
      chromaOf(
        plane(8, 8, () => 128),
        plane(8, 8, (x, y) => (x === 4 && y === 4 ? 240 : 128)),
      ),
    ).toEqual({ saturation: 0, vivid: 1 / 32 })
  })

  test('a field has every other line', () => {
    const frame = plane(4, 6, (_, y) => y)
    const line = (field: Plane, row: number) => field.data[row * field.stride]
    expect([0, 1, 2].map(row => line(fieldOf(frame, 0), row))).toEqual([0, 2, 4])
    expect([0, 1, 2].map(row => line(fieldOf(frame, 1), row))).toEqual([1, 3, 5])
  })
})

describe('noise', () => {
  test.each([1, 2, 4, 8])('of a standard deviation of %d is measured within 15 %', sigma => {
    const random = seeded(sigma)
    const still = (x: number, y: number) => 100 + x / 8 + (x > 100 && y > 60 ? 40 : 0)
    const make = () => plane(256, 192, (x, y) => still(x, y) + sigma * gaussian(random))
    const [before, now] = [make(), make()]
    // Rounding to whole codes adds 1/12 of variance.
    const expected = Math.sqrt(sigma * sigma + 1 / 12)
    expect(noiseOf(now, before)! / expected).toBeGreaterThan(0.85)
    expect(noiseOf(now, before)! / expected).toBeLessThan(1.15)
  })

  test('is not found in texture that stands still', () => {
    const random = seeded(9)
    const texture = plane(256, 192, () => 110 + 12 * gaussian(random))
    expect(noiseOf(texture, { ...texture, data: texture.data.slice() })).toBe(0)
  })

  test('is not measured where all is clipped', () => {
    expect(
      noiseOf(
        plane(128, 128, () => 16),
        null,
      ),
    ).toBeNull()
  })
})

describe('the block grid', () => {
  const random = seeded(3)
  const levels = Array.from({ length: 40 * 40 }, () => 6 * random())
  const texture = plane(320, 240, () => 100 + 3 * gaussian(random))
  const blocky = (shift: number) =>
    plane(
      320,
      240,
      (x, y) =>
        texture.data[y * 320 + x]! + levels[Math.floor((y + 8) / 8) * 40 + (Math.floor((x + 8 - shift) / 8) % 40)]! * 3,
    )

  test('shows where blocks step, at the column they begin', () => {
    const grid = columnGrid(blocky(3))
    expect(grid.phase).toBe(3)
    expect(grid.strength).toBeGreaterThan(1.5)
    expect(rowGrid(blocky(3)).phase).toBe(0)
  })

  test('is not seen in texture without blocks, nor in straight lines', () => {
    expect(columnGrid(texture).strength).toBeLessThan(1.2)
    expect(
      columnGrid(plane(320, 240, (x, y) => texture.data[y * 320 + x]! + (x === 96 || x === 200 ? 60 : 0))).strength,
    ).toBeLessThan(1.25)
  })
})

describe('detail', () => {
  const random = seeded(5)
  const sharp = plane(512, 256, () => 40 + 150 * random())
  /** The same with each sample the mean of itself and its neighbours within a reach: a low-pass with zeros at 1/(2 reach + 1) of the sampling rate. */
  const soft = plane(512, 256, (x, y) => {
    let [sum, count] = [0, 0]
    for (let step = -4; step <= 4; step++) {
      if (x + step < 0 || x + step >= 512) continue
      const weight = Math.exp(-(step * step) / 4.5)
      sum += sharp.data[y * 512 + x + step]! * weight
      count += weight
    }
    return sum / count
  })

  test('reaches to the end in white texture', () => {
    expect(detailOf(sharp, 'rows', 0)!.cutoff).toBe(1)
  })

  test('ends early and steeply after a Gaussian blur, in the blurred direction only', () => {
    // A Gaussian of standard deviation 1.5 has fallen by 40 dB at 0.45 of half the sampling rate.
    const along = detailOf(soft, 'rows', 0)!
    expect(along.cutoff).toBeGreaterThan(0.4)
    expect(along.cutoff).toBeLessThan(0.75)
    expect(along.fall).toBeGreaterThan(9)
    expect(detailOf(soft, 'columns', 0)!.cutoff).toBe(1)
  })

  test('is null in a flat picture and in one too small', () => {
    expect(
      detailOf(
        plane(256, 256, () => 90),
        'rows',
        0,
      ),
    ).toBeNull()
    expect(
      detailOf(
        plane(40, 40, x => x),
        'rows',
        0,
      ),
    ).toBeNull()
  })
})

describe('the shift of a whole picture', () => {
  const random = seeded(8)
  const wide = plane(400, 300, () => 0)
  for (let blob = 0; blob < 220; blob++) {
    const [x0, y0, size, value] = [
      Math.floor(random() * 380),
      Math.floor(random() * 280),
      6 + Math.floor(random() * 30),
      40 + random() * 180,
    ]
    for (let y = y0; y < Math.min(300, y0 + size); y++)
      for (let x = x0; x < Math.min(400, x0 + size); x++) wide.data[y * 400 + x] = value
  }
  const view = (dx: number, dy: number) => plane(320, 240, (x, y) => wide.data[(y + 30 - dy) * 400 + x + 40 - dx]!)

  test.each([
    [0, 0],
    [5, 0],
    [-7, 3],
    [12, -11],
  ])('by %d, %d is found', (dx, dy) => {
    const shift = shiftBetween(profilesOf(view(0, 0)), profilesOf(view(dx, dy)))
    expect(shift.x).toBeCloseTo(dx, 0)
    expect(shift.y).toBeCloseTo(dy, 0)
    expect(shift.fit).toBeGreaterThan(0.8)
  })

  test.each([
    [320, 240, 320, 0],
    [1280, 600, 1312, 0],
    [1030, 520, 1030, 3],
    [33, 7, 64, 1],
    [3, 2, 3, 0],
    [1, 1, 1, 0],
  ])('is told by sums of lines and columns, however a plane of %dx%d is laid out', (width, height, stride, before) => {
    let seed = 11
    const data = Uint8Array.from(
      { length: before + stride * height },
      () => (seed = (seed * 16_807) % 2_147_483_647) & 255,
    )
    const lit = { data: data.subarray(before), width, height, stride }
    const at = (row: number, column: number) => lit.data[row * stride + column]!
    const mean = (values: number[]) => values.reduce((sum, value) => sum + value, 0) / values.length
    const every = (count: number, from: number) =>
      Array.from({ length: count }, (_, index) => index).filter(index => index % 2 === from)
    // Every other sample of a line, by turns from the first and the second; every other line of a column; without the mean of 24 around.
    const steep = (values: number[]) =>
      values.map((value, index) => value - mean(values.slice(Math.max(0, index - 24), index + 25)))
    const rows = Array.from({ length: height }, (_, row) => {
      const columns = every(width, row & 1)
      return columns.length === 0 ? NaN : mean(columns.map(column => at(row, column)))
    })
    const columns = Array.from({ length: width }, (_, column) => mean(every(height, 0).map(row => at(row, column))))
    const found = profilesOf(lit)
    steep(rows).forEach((value, row) => expect(found.rows[row]).toBeCloseTo(value, 3))
    steep(columns).forEach((value, column) => expect(found.columns[column]).toBeCloseTo(value, 3))
  })

  test('is not claimed in a flat picture', () => {
    const flat = profilesOf(plane(320, 240, () => 100))
    expect(shiftBetween(flat, flat)).toEqual({ x: 0, y: 0, fit: 0 })
  })
})

describe('borders', () => {
  const framed = plane(320, 240, (x, y) => (x < 10 || x >= 316 || y < 20 || y >= 228 ? 16 : 90 + x / 4))

  test('are counted on each side', () => {
    expect(bordersOf(framed, levelsOf(histogram(framed)).mean)).toEqual([10, 20, 4, 12])
  })

  test('are not told from a dark frame', () => {
    expect(
      bordersOf(
        plane(320, 240, x => (x === 160 ? 60 : 16)),
        16.1,
      ),
    ).toBeNull()
  })

  test('that hold in all are the narrowest of each side', () => {
    expect(bordersInAll([[10, 20, 4, 12], null, [60, 20, 4, 90]])).toEqual([10, 20, 4, 12])
    expect(bordersInAll([null, null])).toBeNull()
  })
})

describe('marks that never move', () => {
  const scene = (seed: number) => {
    const random = seeded(seed * 77)
    const picture = plane(360, 240, () => 40 + random() * 20)
    for (let blob = 0; blob < 120; blob++) {
      const [x0, y0, size, value] = [
        Math.floor(random() * 340),
        Math.floor(random() * 220),
        8 + Math.floor(random() * 40),
        30 + random() * 190,
      ]
      for (let y = y0; y < Math.min(240, y0 + size); y++)
        for (let x = x0; x < Math.min(360, x0 + size); x++) picture.data[y * 360 + x] = value
    }
    return picture
  }
  const withMark = (seed: number) => {
    const picture = scene(seed)
    for (let y = 20; y < 44; y++)
      for (let x = 300; x < 340; x++) picture.data[y * 360 + x] = y < 24 || y >= 40 || x < 304 || x >= 336 ? 235 : 20
    return picture
  }

  test('are found where they are', () => {
    const [mark, ...others] = marksIn([1, 2, 3, 4, 5, 6].map(seed => reduced(withMark(seed))))
    expect(others).toEqual([])
    expect(mark!.x).toBeGreaterThanOrEqual(297)
    expect(mark!.x + mark!.width).toBeLessThanOrEqual(343)
    expect(mark!.y).toBeGreaterThanOrEqual(17)
    expect(mark!.y + mark!.height).toBeLessThanOrEqual(47)
  })

  test('are not claimed of scenes without one, of one still picture, or of too few', () => {
    expect(marksIn([1, 2, 3, 4, 5, 6].map(seed => reduced(scene(seed))))).toEqual([])
    expect(marksIn([1, 1, 1, 1, 1, 1].map(seed => reduced(withMark(seed))))).toEqual([])
    expect(marksIn([1, 2, 3].map(seed => reduced(withMark(seed))))).toEqual([])
  })
})

describe('sound', () => {
  const rate = 8000
  const tone = (hertz: number, amplitude: number, seconds: number) =>
    Float32Array.from(
      { length: rate * seconds },
      (_, index) => amplitude * Math.sin((2 * Math.PI * hertz * index) / rate),
    )

  test('a sine of amplitude 0.5 has a mean square of 0.125: -9.03 dB', () => {
    expect(decibels(powerAt(tone(440, 0.5, 1), 440, rate))).toBeCloseTo(-9.03, 1)
    expect(decibels(0)).toBe(-120)
  })

  test('levels, floor and clipped peaks are those put in', () => {
    const gauge = new SoundGauge(rate, 1)
    const loud = tone(200, 0.5, 2)
    const clipped = tone(200, 3, 1).map(value => Math.max(-1, Math.min(1, value)))
    gauge.add([loud])
    gauge.add([clipped])
    const { channels, secondsMeasured, clippedAt } = gauge.read()
    expect(secondsMeasured).toBeCloseTo(3)
    // 400 half waves a second are cut off.
    expect(channels[0]!.clippedRunsPerMinute).toBeCloseTo(400 / (3 / 60), -2)
    expect(channels[0]!.floor).toBeCloseTo(-9.03, 1)
    expect(clippedAt[0]).toBeCloseTo(2)
  })

  test('sound past full scale whose peaks are round is loud, not clipped', () => {
    const gauge = new SoundGauge(rate, 1)
    for (const hertz of [40, 200, 400, 900]) gauge.add([tone(hertz, 1.3, 1)])
    expect(gauge.read().channels[0]!.clippedRunsPerMinute).toBe(0)
  })

  test('peaks flattened at full scale are clipped at every pitch', () => {
    for (const hertz of [40, 200, 400]) {
      const gauge = new SoundGauge(rate, 1)
      gauge.add([tone(hertz, 1.6, 1).map(value => Math.max(-1, Math.min(1, value)))])
      expect(gauge.read().channels[0]!.clippedRunsPerMinute / 60 / (2 * hertz)).toBeGreaterThan(0.9)
    }
  })

  test('hum stands out, a note that comes and goes does not', () => {
    const random = seeded(4)
    const [humming, playing] = [new SoundGauge(rate, 1), new SoundGauge(rate, 1)]
    const noise = (seconds: number) => Float32Array.from({ length: rate * seconds }, () => 0.01 * (2 * random() - 1))
    for (let second = 0; second < 20; second++) {
      const [bed, hum, note] = [noise(1), tone(50, 0.02, 1), tone(100, second % 3 === 0 ? 0 : 0.3, 1)]
      humming.add([bed.map((value, index) => value + hum[index]!)])
      playing.add([bed.map((value, index) => value + note[index]!)])
    }
    const at = (gauge: SoundGauge, hertz: number) => gauge.read().hum.find(entry => entry.hertz === hertz)!
    expect(at(humming, 50).level).toBeCloseTo(decibels(0.0002), 0)
    expect(at(humming, 50).above).toBeGreaterThan(20)
    expect(at(playing, 100).above).toBeLessThan(10)
  })

  test('correlation tells equal from opposed channels', () => {
    const left = tone(300, 0.4, 2)
    const opposed = new SoundGauge(rate, 2)
    opposed.add([left, left.map(value => -value)])
    expect(opposed.read().correlation).toBeCloseTo(-1)
    const equal = new SoundGauge(rate, 2)
    equal.add([left, left])
    expect(equal.read().correlation).toBeCloseTo(1)
    const single = new SoundGauge(rate, 2)
    single.add([left, left.map(() => 0)])
    expect(single.read().correlation).toBeNull()
  })

  test('silences of half a second and more are kept with their places, also after a jump', () => {
    const gauge = new SoundGauge(rate, 1)
    gauge.add([tone(300, 0.3, 1)])
    gauge.add([new Float32Array(rate)])
    gauge.add([tone(300, 0.3, 1)])
    gauge.jumpTo(100)
    gauge.add([new Float32Array(rate / 4)])
    gauge.add([tone(300, 0.3, 1)])
    gauge.add([new Float32Array(rate * 2)])
    const { silences } = gauge.read()
    expect(silences).toHaveLength(2)
    expect(silences[0]!.from).toBeCloseTo(1)
    expect(silences[0]!.to).toBeCloseTo(2)
    expect(silences[1]!.to - silences[1]!.from).toBeGreaterThan(1.8)
  })
})

describe('correlation', () => {
  const random = seeded(11)
  const noise = Float32Array.from({ length: 1000 }, () => random() - 0.5)

  /** The definition, sample by sample. */
  function plainly(first: Float32Array, second: Float32Array, start: number, size: number, lag: number): number {
    let [ab, aa, bb] = [0, 0, 0]
    for (let at = start; at < Math.min(start + size, first.length); at++) {
      if (at + lag < 0 || at + lag >= second.length) continue
      ab += first[at]! * second[at + lag]!
      aa += first[at]! ** 2
      bb += second[at + lag]! ** 2
    }
    return aa > 0 && bb > 0 ? ab / Math.sqrt(aa * bb) : 0
  }

  test.each([
    ['in the middle', 300, 200],
    ['at the beginning, where the second begins late', 0, 150],
    ['past the end of both', 900, 400],
  ])('is that of the definition at every lag: a piece %s', (_, start, size) => {
    const second = noise.map((value, index) => 0.4 * value - 0.3 * (noise[index + 37] ?? 0))
    const found = correlations(noise, second, { start, size, firstLag: -120, lastLag: 90 })
    expect(found).toHaveLength(211)
    for (const [index, value] of found.entries())
      expect(value).toBeCloseTo(plainly(noise, second, start, size, index - 120), 9)
  })

  test('is 1 at the lag of a copy, -1 where that is turned over, and 0 in silence', () => {
    const later = Float32Array.from({ length: 1000 }, (_, index) => noise[index - 25] ?? 0)
    const at = (second: Float32Array) =>
      correlations(noise, second, { start: 100, size: 500, firstLag: -40, lastLag: 40 })
    expect(at(later)[65]).toBeCloseTo(1, 9)
    expect(at(later.map(value => -3 * value))[65]).toBeCloseTo(-1, 9)
    expect([...at(new Float32Array(1000))].every(value => value === 0)).toBe(true)
  })
})

describe('combing', () => {
  /** Slanted waves that move by a tenth of the picture's width a second; the lines of the two fields `apart` of a frame from each other. */
  function waves(width: number, height: number, frame: number, apart: number): Plane {
    const data = new Uint8Array(width * height)
    const period = width / 16
    for (let row = 0; row < height; row++)
      for (let column = 0; column < width; column++) {
        const x = column - (frame + (row % 2) * apart) * period * 0.4
        data[row * width + column] = Math.round(125 + 90 * Math.sin((2 * Math.PI * (x + row * 0.3)) / period))
      }
    return { data, width, height, stride: width }
  }

  test.each([
    [720, 576],
    [1280, 720],
    [1920, 1080],
    [3840, 2160],
  ])('stands out in pictures woven of two moments, and not in others: %ix%i', (width, height) => {
    const of = (apart: number) => combing(waves(width, height, 0, apart), waves(width, height, 1, apart))
    expect(of(0.5)).toBeGreaterThan(1)
    expect(of(0)).toBeLessThan(0.6)
  })

  test('is not claimed of a picture that stands still, woven or not', () => {
    const still = waves(1920, 1080, 0, 0.5)
    expect(combing(still, { ...still, data: still.data.slice() })).toBe(0)
  })
})

describe('what of a picture stays what it was', () => {
  const drawn = (seed: number) => {
    const random = seeded(seed)
    const tiles = Array.from({ length: 60 * 45 }, () => 40 + 160 * random())
    return (x: number, y: number) => tiles[Math.floor(y / 4) * 60 + Math.floor(x / 4)]!
  }
  const [one, other] = [drawn(1), drawn(2)]

  test('is all of it where it is the same, brighter, darker or with noise', () => {
    const random = seeded(3)
    const before = plane(240, 180, one)
    expect(stayingPart(before, before)).toBe(1)
    expect(
      stayingPart(
        before,
        plane(240, 180, (x, y) => 0.6 * one(x, y) + 90),
      ),
    ).toBe(1)
    expect(
      stayingPart(
        before,
        plane(240, 180, (x, y) => one(x, y) + 8 * gaussian(random)),
      ),
    ).toBeGreaterThan(0.95)
  })

  test('is none of it where it is another, or gone, and what is left where a part is', () => {
    const before = plane(240, 180, one)
    expect(stayingPart(before, plane(240, 180, other))).toBeLessThan(0.1)
    expect(
      stayingPart(
        before,
        plane(240, 180, () => 90),
      ),
    ).toBe(0)
    const part = stayingPart(
      before,
      plane(240, 180, (x, y) => (x < 60 ? other(x, y) : one(x, y))),
    )!
    expect(part).toBeGreaterThan(0.7)
    expect(part).toBeLessThan(0.8)
  })

  test('cannot be told of pictures without detail', () => {
    const even = plane(240, 180, () => 120)
    expect(stayingPart(even, even)).toBeNull()
  })
})
