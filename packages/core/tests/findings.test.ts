import { describe, expect, test } from 'vitest'
import {
  cutsOf,
  finding,
  findingsOf,
  measuringVersion,
  rational,
  type FindingKey,
  type MeasuredSound,
  type MeasuredWindow,
  type Measurement,
} from '../src/index.ts'
import { facts } from './examples.ts'

/** A window of moving, sharp, quiet picture in which nothing is wrong, with changes. */
function window(changes: Partial<MeasuredWindow> = {}, start = 0, frames = 25): MeasuredWindow {
  const column = (value: number) => Array.from({ length: frames }, () => value)
  return {
    seconds: Array.from({ length: frames }, (_, index) => start + index / 25),
    mean: column(110),
    low: column(30),
    high: column(205),
    illegal: column(0),
    atTop: column(0.003),
    saturation: column(25),
    change: column(4).map((value, index) => (index === 0 ? 0 : value)),
    histogramChange: column(0.02),
    shiftX: column(1),
    shiftY: column(0),
    shiftFit: column(0.95),
    scan: 'p'.repeat(frames),
    errors: 0,
    still: {
      seconds: start + 0.5,
      noise: 0.6,
      gridX: 1.05,
      gridY: 1.04,
      gridStepX: 0.02,
      gridStepY: 0.02,
      gridColumn: 2,
      gridRow: 5,
      detailX: { cutoff: 0.97, fall: 5 },
      detailY: { cutoff: 0.95, fall: 5 },
      flat: 0.2,
    },
    borders: [0, 0, 0, 0],
    ...changes,
  }
}

function measurement(
  windows: MeasuredWindow[],
  changes: Partial<NonNullable<Measurement['picture']>> = {},
  sound: MeasuredSound[] = [],
): Measurement {
  return {
    version: measuringVersion,
    depth: 'sampled',
    tookSeconds: 2,
    picture: {
      width: 1920,
      height: 1080,
      framesPerSecond: 25,
      windows,
      whole: false,
      marks: [],
      times: { packetsRead: 3000, regular: 2999, short: 0, long: 0, longAt: [], endSeconds: 120 },
      ...changes,
    },
    sound,
  }
}

const spread = (changes: Partial<MeasuredWindow> = {}) =>
  Array.from({ length: 10 }, (_, index) => window(changes, index * 13))
const keys = (found: readonly { key: FindingKey }[]) => found.map(entry => entry.key)
const find = (source: ReturnType<typeof facts>, measured: Measurement, key: FindingKey) =>
  findingsOf(source, measured).find(entry => entry.key === key)

test('sound material has its nature named and nothing wrong', () => {
  const found = findingsOf(facts(), measurement(spread()))
  expect(keys(found)).toEqual(['scan'])
  expect(found[0]).toMatchObject({ kind: 'nature', says: 'Progressive: every frame shows one moment.' })
})

describe('scan', () => {
  test('is the order that the fields show, and a flag that says otherwise is a fault', () => {
    const combed = measurement(spread({ scan: 'b'.repeat(25) }))
    const source = facts({ scan: { kind: 'interlaced', firstField: 'top', framesRead: 13 } })
    expect(find(source, combed, 'scan')).toMatchObject({ says: 'Interlaced, bottom field first.', sure: 1 })
    expect(find(source, combed, 'scan-flag')!.says).toBe(
      'The file says interlaced, top field first; its picture is interlaced, bottom field first.',
    )
    expect(
      find(facts({ scan: { kind: 'interlaced', firstField: 'bottom', framesRead: 13 } }), combed, 'scan-flag'),
    ).toBeUndefined()
  })

  test('of whole frames flagged interlaced is 2:2', () => {
    expect(
      find(
        facts({ scan: { kind: 'interlaced', firstField: 'top', framesRead: 13 } }),
        measurement(spread()),
        'scan-flag',
      )!.says,
    ).toContain('2:2')
  })

  test.each([0, 1, 2, 3, 4])(
    'with a field shown again in every fifth of combed frames is 3:2 pulldown, wherever it begins (%d)',
    offset => {
      const at = (index: number) => (index + offset) % 5
      const scan = Array.from({ length: 25 }, (_, index) => (at(index) === 0 ? 'p' : 't')).join('')
      const change = Array.from({ length: 25 }, (_, index) => (index === 0 ? 0 : at(index) === 2 ? 0.3 : 4))
      const found = findingsOf(facts(), measurement(spread({ scan, change })))
      expect(found.find(entry => entry.key === 'pulldown')).toMatchObject({ suggests: 'Undo the pulldown' })
      // Neither interlaced nor repeated frames are said of it.
      expect(keys(found)).toEqual(['pulldown'])
      // The same repetition in whole frames is no pulldown, and combing without it is video.
      expect(find(facts(), measurement(spread({ change })), 'pulldown')).toBeUndefined()
      expect(find(facts(), measurement(spread({ scan })), 'pulldown')).toBeUndefined()
    },
  )

  test('that is combed in some parts and whole in others is mixed', () => {
    const windows = spread().map((entry, index) => (index < 4 ? { ...entry, scan: 't'.repeat(25) } : entry))
    expect(find(facts(), measurement(windows), 'scan')!.says).toBe(
      'Mixed: 40 % of the frames are combed, the others are whole.',
    )
  })

  test('is left open where hardly a frame could be judged', () => {
    expect(find(facts(), measurement([window({ scan: 'u'.repeat(25) })]), 'scan')).toBeUndefined()
  })
})

describe('borders', () => {
  test('are the narrowest of all windows, and the crop keeps to even pixels', () => {
    const windows = [...spread({ borders: [11, 40, 8, 40] }).slice(1), window({ borders: [200, 40, 8, 300] })]
    const found = find(facts(), measurement(windows), 'borders')!
    expect(found.says).toBe(
      'Black borders, in pixels: 11 left, 40 top, 8 right, 40 bottom. The picture inside is 1900x1000.',
    )
    expect(found.suggests).toBe('Crop to 1900x1000 at 12, 40')
    expect(found.sure).toBeGreaterThan(0.85)
  })

  test('are not claimed when dark sides of scenes differ from window to window', () => {
    const windows = spread().map((entry, index) => ({
      ...entry,
      borders: [20 + index * 30, 0, 0, 0] as [number, number, number, number],
    }))
    expect(find(facts(), measurement(windows), 'borders')).toBeUndefined()
  })
})

describe('aspect', () => {
  test('of standard definition with square pixels is doubtful', () => {
    expect(
      find(facts({ width: 720, height: 576, pixelAspect: rational(1) }), measurement(spread()), 'aspect')!.says,
    ).toContain('720x576 are 4:3 or 16:9')
    expect(
      find(facts({ width: 720, height: 576, pixelAspect: rational(64, 45) }), measurement(spread()), 'aspect'),
    ).toBeUndefined()
  })
})

describe('time', () => {
  test('cuts stand out from the frames around them in change and in histogram', () => {
    const change = Array.from({ length: 25 }, (_, index) => (index === 0 ? 0 : index === 12 ? 40 : 4))
    const histogramChange = change.map(value => (value === 40 ? 0.6 : 0.02))
    const [first, ...others] = spread()
    expect(find(facts(), measurement([{ ...first!, change, histogramChange }, ...others]), 'cuts')).toMatchObject({
      value: 1,
      places: [{ seconds: 12 / 25 }],
    })
    // A flash changes much but comes back; fast motion changes much all the time.
    expect(
      find(facts(), measurement([window({ change: change.map(() => 40), histogramChange })]), 'cuts'),
    ).toBeUndefined()
  })

  test('a sudden change of which most stays what it was is no cut: a lamp, a menu', () => {
    const change = Array.from({ length: 25 }, (_, index) => (index === 12 ? 40 : 4))
    const histogramChange = change.map(value => (value === 40 ? 0.6 : 0.02))
    const cutsWhere = (part: number) => {
      const stays = change.map(value => (value === 40 ? part : 1))
      return find(facts(), measurement([window({ change, histogramChange, stays })]), 'cuts')?.value
    }
    expect([0, 0.3, 0.85, 1].map(cutsWhere)).toEqual([1, 1, undefined, undefined])
  })

  test('cuts of a source that was looked through are counted in all, whatever its samples show', () => {
    const cuts = Array.from({ length: 250 }, (_, index) => index + 0.52)
    expect(find(facts(), measurement(spread(), { cuts }), 'cuts')).toMatchObject({ says: '250 cuts.', value: 250 })
    expect(cutsOf(measurement(spread(), { cuts }).picture!)).toEqual(cuts)
    expect(cutsOf(measurement(spread()).picture!)).toBeNull()
    expect(cutsOf(measurement(spread(), { whole: true }).picture!)).toEqual([])
  })

  test('every second frame that repeats the one before is told as such', () => {
    const change = Array.from({ length: 25 }, (_, index) => (index === 0 ? 0 : index % 2 ? 4 : 0))
    expect(find(facts(), measurement(spread({ change })), 'repeated-frames')!.says).toBe(
      'Every second frame repeats the one before.',
    )
    const fifth = Array.from({ length: 25 }, (_, index) => (index === 0 ? 0 : index % 5 ? 4 : 0))
    expect(find(facts(), measurement(spread({ change: fifth })), 'repeated-frames')!.says).toBe(
      'Every fifth frame repeats the one before.',
    )
  })

  test('a picture that hardly moves has no repeated frames', () => {
    expect(
      find(
        facts(),
        measurement(spread({ change: Array.from({ length: 25 }, (_, index) => (index % 2 ? 0.1 : 0)) })),
        'repeated-frames',
      ),
    ).toBeUndefined()
  })

  test('black and frozen stretches have their places', () => {
    const [first, ...others] = spread()
    const black = {
      ...first!,
      mean: first!.mean.map((_, index) => (index < 15 ? 16 : 110)),
      high: first!.high.map((_, index) => (index < 15 ? 17 : 205)),
    }
    const dark = find(facts(), measurement([black, ...others]), 'black')!.places
    expect(dark).toHaveLength(1)
    expect(dark[0]!.seconds).toBe(0)
    expect(dark[0]!.until).toBeCloseTo(0.6)
    const frozen = { ...first!, change: first!.change.map((value, index) => (index >= 5 && index < 20 ? 0 : value)) }
    const found = find(facts(), measurement([frozen, ...others]), 'frozen')!
    expect(found.places[0]!.seconds).toBeCloseTo(0.2)
    expect(found.places[0]!.until).toBeCloseTo(0.8)
  })

  test('gaps in a constant rate and uneven times are told apart', () => {
    const gapped = facts({
      frameCountFrom: 'packets',
      gaps: {
        count: 2,
        seconds: 0.4,
        places: [
          { seconds: 1.2, length: 0.2 },
          { seconds: 8, length: 0.2 },
        ],
      },
    })
    expect(find(gapped, measurement(spread()), 'gaps')).toMatchObject({
      says: '2 gaps in which no new picture comes, 0.40 s in all, first at 0:01.2; the rate is constant otherwise.',
      places: [{ seconds: 1.2, until: 1.4 }, { seconds: 8 }],
    })
    expect(find(gapped, measurement(spread()), 'variable-rate')).toBeUndefined()
    const uneven = facts({ frameCountFrom: 'packets', rateIs: 'variable', averageRate: 22.4 })
    expect(find(uneven, measurement(spread()), 'variable-rate')!.says).toBe(
      'The frames are not evenly spaced: 25 fps where they are densest, 22.40 on average.',
    )
  })

  test('uneven times of a source that was not counted are those of its first packets', () => {
    const times = { packetsRead: 3000, regular: 2000, short: 500, long: 499, longAt: [1.2, 8], endSeconds: 120 }
    expect(find(facts(), measurement(spread(), { times }), 'variable-rate')!.says).toContain(
      '33 % of the first 3000 steps',
    )
  })

  test('times that jump are told with their place', () => {
    const jumping = {
      ...facts({ frameCountFrom: 'packets' }),
      jumps: [{ seconds: 2.28, by: -2.24, of: 'picture and sound' as const }],
    }
    expect(find(jumping, measurement(spread()), 'jumps')).toMatchObject({
      says: 'The times of the picture and sound jump 2.24 s back at 0:02.3; the material goes on without a gap.',
      places: [{ seconds: 2.28 }],
    })
  })

  test('a file that ends before it promises to is cut short', () => {
    const times = { packetsRead: 1800, regular: 1799, short: 0, long: 0, longAt: [], endSeconds: 72 }
    expect(find(facts(), measurement(spread(), { times }), 'cut-short')).toMatchObject({
      value: 48,
      says: 'The file promises 2:00 but its picture ends at 1:12.',
    })
    const counted = {
      ...facts({ frameCount: 1800, frameCountFrom: 'packets' }),
      promised: { frames: 3000, seconds: 120 },
      durationSeconds: 72,
    }
    expect(find(counted, measurement(spread(), { times }), 'cut-short')!.says).toBe(
      'The file promises 3000 frames and holds 1800: its picture ends at 1:12.',
    )
  })

  test('a file is not blamed for an estimate of ours', () => {
    const times = { packetsRead: 2, regular: 1, short: 0, long: 0, longAt: [], endSeconds: 1 }
    const still = {
      ...facts({ frameCount: 2, frameCountFrom: 'packets', frameRate: rational(1) }),
      promised: { frames: null, seconds: 2 },
      durationSeconds: 2,
    }
    expect(find(still, measurement(spread(), { times }), 'cut-short')).toBeUndefined()
  })

  test('decode errors are counted with their windows', () => {
    const windows = spread().map((entry, index) => (index === 3 ? { ...entry, errors: 2 } : entry))
    expect(find(facts(), measurement(windows), 'decode-errors')).toMatchObject({ value: 2, places: [{ seconds: 39 }] })
  })
})

describe('the look', () => {
  test.each([
    [0.9, undefined],
    [2.4, 'Light noise'],
    [4.5, 'Clear noise'],
    [9, 'Heavy noise'],
  ])('noise of %d codes: %s', (noise, words) => {
    const found = find(facts(), measurement(spread({ still: { ...window().still!, noise } })), 'noise')
    expect(found?.says.slice(0, words?.length)).toBe(words)
  })

  test('blocks need a grid in both directions, and steps that can be seen', () => {
    const still = { ...window().still!, gridX: 3.4, gridY: 2.8, gridStepX: 1.4, gridStepY: 1.2 }
    expect(find(facts(), measurement(spread({ still })), 'blocking')!.says).toContain('Heavy blocking')
    // Interlaced coding leaves steps in one direction only; steps of a tenth of a code are not seen.
    expect(
      find(facts(), measurement(spread({ still: { ...still, gridY: 1, gridStepY: 0 } })), 'blocking'),
    ).toBeUndefined()
    expect(
      find(facts(), measurement(spread({ still: { ...still, gridStepX: 0.1, gridStepY: 0.1 } })), 'blocking'),
    ).toBeUndefined()
  })

  test('detail that ends early and steeply is soft, and says of what size it may come', () => {
    const soft = { ...window().still!, detailX: { cutoff: 0.45, fall: 15 }, detailY: { cutoff: 0.47, fall: 16 } }
    expect(find(facts(), measurement(spread({ still: soft })), 'soft')!.says).toContain('about 864x508')
    const noisy = { ...soft, detailX: { cutoff: 0.45, fall: 4 }, detailY: { cutoff: 0.47, fall: 4 } }
    expect(find(facts(), measurement(spread({ still: noisy })), 'soft')).toBeUndefined()
  })

  test('flicker jumps, a fade does not', () => {
    expect(
      find(
        facts(),
        measurement(spread({ mean: Array.from({ length: 25 }, (_, index) => 110 + (index % 2 ? 3 : -3)) })),
        'flicker',
      )!.value,
    ).toBeCloseTo((100 * 6) / 110, 0)
    expect(
      find(facts(), measurement(spread({ mean: Array.from({ length: 25 }, (_, index) => 40 + index * 5) })), 'flicker'),
    ).toBeUndefined()
  })

  test('shake jumps, a pan does not, however fast', () => {
    const shaken = Array.from({ length: 25 }, (_, index) => [6, -5, 4, -7, 3][index % 5]!)
    expect(find(facts(), measurement(spread({ shiftX: shaken, shiftY: shaken })), 'shake')!.value).toBeGreaterThan(5)
    expect(
      find(facts(), measurement(spread({ shiftX: Array.from({ length: 25 }, () => 14) })), 'shake'),
    ).toBeUndefined()
  })

  test('levels, colour and marks', () => {
    expect(
      find(
        facts(),
        measurement(
          spread({ atTop: Array.from({ length: 25 }, () => 0.06), high: Array.from({ length: 25 }, () => 235) }),
        ),
        'clipped-highlights',
      )!.value,
    ).toBeCloseTo(6)
    expect(
      find(facts(), measurement(spread({ illegal: Array.from({ length: 25 }, () => 0.03) })), 'illegal-levels')!.says,
    ).toContain('3.0 %')
    expect(
      find(facts(), measurement(spread({ saturation: Array.from({ length: 25 }, () => 1) })), 'black-and-white'),
    ).toMatchObject({ kind: 'nature' })
    expect(
      find(
        facts(),
        measurement(
          spread({ saturation: Array.from({ length: 25 }, () => 1), vivid: Array.from({ length: 25 }, () => 0.005) }),
        ),
        'black-and-white',
      ),
    ).toBeUndefined()
    expect(
      find(facts(), measurement(spread(), { marks: [{ x: 40, y: 30, width: 200, height: 60 }] }), 'mark')!.places[0]!
        .area,
    ).toEqual({ x: 40, y: 30, width: 200, height: 60 })
  })
})

describe('sound', () => {
  const sound = (changes: Partial<MeasuredSound> = {}): MeasuredSound => ({
    streamIndex: 1,
    secondsMeasured: 120,
    whole: true,
    loudness: -23.1,
    truePeak: -3.2,
    channels: [
      { rms: -24, floor: -58, clippedRunsPerMinute: 0 },
      { rms: -25, floor: -59, clippedRunsPerMinute: 0 },
    ],
    correlation: 0.6,
    hum: [50, 100, 150, 200, 60, 120, 180, 240].map(hertz => ({ hertz, level: -90, above: 2 })),
    clippedAt: [],
    silences: [],
    endSeconds: 120,
    ...changes,
  })
  const heard = (changes: Partial<MeasuredSound>) => findingsOf(facts(), measurement(spread(), {}, [sound(changes)]))
  const one = (changes: Partial<MeasuredSound>, key: FindingKey) => heard(changes).find(entry => entry.key === key)

  test('that is good has its loudness and no fault', () => {
    expect(heard({}).filter(entry => entry.kind === 'fault')).toEqual([])
    expect(one({}, 'loudness')!.says).toBe('The sound: -23.1 LUFS, true peak -3.2 dBTP, quietest tenth -58.0 dBFS.')
  })

  test('hums at the mains frequency and its multiples', () => {
    const hum = sound().hum.map(entry =>
      entry.hertz === 50 || entry.hertz === 100 ? { ...entry, level: -48, above: 25 } : entry,
    )
    expect(one({ hum }, 'hum')!.says).toBe('The sound hums: 50 Hz, 100 Hz, up to -48.0 dBFS.')
    // One steady note at a multiple alone is no hum.
    expect(
      one(
        { hum: sound().hum.map(entry => (entry.hertz === 120 ? { ...entry, level: -40, above: 30 } : entry)) },
        'hum',
      ),
    ).toBeUndefined()
  })

  test('faults of channels', () => {
    const [left, right] = sound().channels
    expect(one({ channels: [left!, { ...right!, rms: -95 }], correlation: null }, 'silent-channel')!.says).toContain(
      'the right channel is silent',
    )
    expect(one({ correlation: -0.92 }, 'out-of-phase')!.suggests).toBe('Turn one channel over')
    expect(
      one({ channels: [{ ...left!, clippedRunsPerMinute: 80 }, right!], clippedAt: [4] }, 'clipped-sound')!.places[0]!
        .seconds,
    ).toBe(4)
    expect(
      one(
        {
          channels: [
            { ...left!, rms: -100 },
            { ...right!, rms: -100 },
          ],
          loudness: null,
        },
        'silence',
      )!.says,
    ).toBe('The sound is silent throughout.')
  })

  test('that ends at another time than the picture', () => {
    expect(one({ endSeconds: 118.5 }, 'sound-length')!.says).toBe('The sound ends 1.50 s before the picture.')
    expect(one({ endSeconds: 120.2 }, 'sound-length')).toBeUndefined()
  })

  test('that falls silent for longer than a pause', () => {
    expect(
      one(
        {
          silences: [
            { from: 10, to: 10.9 },
            { from: 60, to: 65 },
          ],
        },
        'silence',
      ),
    ).toMatchObject({ value: 5, places: [{ seconds: 60, until: 65 }] })
  })
})

test('faults come first, and the surest of them', () => {
  const found = findingsOf(
    facts(),
    measurement(
      spread({
        still: { ...window().still!, noise: 1.7 },
        atTop: Array.from({ length: 25 }, () => 0.2),
        high: Array.from({ length: 25 }, () => 235),
      }),
    ),
  )
  expect(found.map(entry => entry.kind)).toEqual(['fault', 'fault', 'nature'])
  expect(found[0]!.sure).toBeGreaterThan(found[1]!.sure)
})

test('a finding keeps at most eight places and a sureness between 0 and 1', () => {
  const many = finding('cuts', 'nature', 'Many cuts.', {
    sure: 3,
    places: Array.from({ length: 20 }, (_, seconds) => ({ seconds, until: null, area: null })),
  })
  expect(many.places).toHaveLength(8)
  expect(many.sure).toBe(1)
})

test('what a drive could not read is a fault with its places', () => {
  const found = find(
    facts(),
    {
      ...measurement(spread()),
      unreadable: [
        { from: 3, to: 3.4, sectors: 12 },
        { from: 70, to: 71, sectors: 1 },
      ],
    },
    'unreadable',
  )
  expect(found).toMatchObject({
    kind: 'fault',
    says: '13 sectors of the disc could not be read, about 0:03.0, 1:10 into the title. They are filled with noughts.',
    value: 13,
    places: [
      { seconds: 3, until: 3.4 },
      { seconds: 70, until: 71 },
    ],
  })
  expect(find(facts(), measurement(spread()), 'unreadable')).toBeUndefined()
})

test('frames of a sequence that have no file are a fault with their places', () => {
  const source = {
    ...facts({ frameCount: 48, frameRate: rational(24) }),
    missingFrames: [
      { from: 12, to: 23 },
      { from: 36, to: 36 },
    ],
  }
  expect(find(source, measurement(spread()), 'missing-frames')).toMatchObject({
    kind: 'fault',
    says: '13 of 48 frames have no file; the frame before stands in for them.',
    value: 13,
    places: [
      { seconds: 0.5, until: 1 },
      { seconds: 1.5, until: 37 / 24 },
    ],
    suggests: 'Render the missing frames and read the sequence again',
  })
  expect(find({ ...facts(), missingFrames: [] }, measurement(spread()), 'missing-frames')).toBeUndefined()
})

describe('pictures of fields', () => {
  const still = window().still!
  const looks = (changes: Partial<typeof still>, scan: string) =>
    measurement(spread({ scan: scan.repeat(25), still: { ...still, ...changes } }))

  test('may have faint steps at the block grid that a progressive picture may not', () => {
    const faint = { gridX: 1.9, gridY: 1.8, gridStepX: 0.4, gridStepY: 0.35 }
    expect(find(facts(), looks(faint, 'p'), 'blocking')).toBeDefined()
    expect(find(facts(), looks(faint, 't'), 'blocking')).toBeUndefined()
    expect(find(facts(), looks({ gridX: 3, gridY: 2.8, gridStepX: 1, gridStepY: 0.9 }, 't'), 'blocking')).toMatchObject(
      { says: expect.stringContaining('Heavy blocking') },
    )
  })

  test('are soft when they are so across: down the frame the two moments look like detail', () => {
    const soft = { detailX: { cutoff: 0.45, fall: 6 }, detailY: { cutoff: 0.97, fall: 3 } }
    expect(find(facts(), looks(soft, 'p'), 'soft')).toBeUndefined()
    expect(find(facts(), looks(soft, 't'), 'soft')).toMatchObject({
      says: 'Soft, or enlarged before: detail ends at 45 % of the width, as in a picture about 864 pixels wide.',
    })
  })
})

describe('the kind of picture', () => {
  const drawn = (changes: Partial<NonNullable<MeasuredWindow['still']>> = {}) => ({
    ...window().still!,
    noise: 0,
    flat: 0.8,
    peaked: 0.7,
    detailX: { cutoff: 1, fall: 5 },
    detailY: { cutoff: 1, fall: 5 },
    ...changes,
  })
  const column = (value: number) => Array.from({ length: 25 }, (_, index) => (index === 0 ? 0 : value))
  const kindIn = (windows: MeasuredWindow[]) => find(facts(), measurement(windows), 'kind')?.data?.picture

  test('is drawn with few shades that move, a screen where little moves, and slides where nothing does', () => {
    expect(kindIn(spread({ still: drawn() }))).toBe('drawn')
    expect(kindIn(spread({ still: drawn(), change: column(0.15) }))).toBe('screen')
    expect(kindIn(spread({ still: drawn(), change: column(0.005) }))).toBe('slides')
    expect(kindIn(spread({ still: drawn({ peaked: 0.1, noise: 0.8, flat: 0.2 }) }))).toBe('filmed')
  })

  test('is not told of pictures too small to tell, nor by measurements without shades', () => {
    expect(kindIn(spread({ still: { ...drawn(), peaked: undefined } }))).toBeUndefined()
    expect(find(facts(), measurement(spread({ still: drawn() }), { height: 60 }), 'kind')).toBeUndefined()
  })

  test('of a screen has no shake, paper white, frozen parts or borders', () => {
    const screen = spread({
      still: drawn(),
      change: column(0.15),
      atTop: column(0.4),
      high: column(235),
      borders: [0, 6, 0, 0],
    })
    expect(findingsOf(facts(), measurement(screen)).filter(entry => entry.kind === 'fault')).toEqual([])
  })
})

describe('what is not claimed', () => {
  test('combing in a fade, in frames that do not agree, or in a picture of few lines', () => {
    const combed = { scan: 't'.repeat(25) }
    const scanIn = (changes: Partial<MeasuredWindow>, height = 1080) =>
      find(facts({ height }), measurement(spread({ ...combed, ...changes }), { height }), 'scan')?.data?.scan
    expect(scanIn({})).toBe('interlaced')
    expect(scanIn({ mean: Array.from({ length: 25 }, (_, index) => 40 + 4 * index) })).toBeUndefined()
    expect(scanIn({ scan: 'tb'.repeat(12) })).toBeUndefined()
    expect(scanIn({}, 320)).toBeUndefined()
  })

  test('shake in a move that starts, stops and goes unevenly', () => {
    const steps = [
      0, -10, -22, -20, -15, -22, -21, -15, -21, -20, -17, 0, -15, -21, -20, -16, 0, -15, -21, 0, -16, 0, 0, -9, 0,
    ]
    expect(find(facts(), measurement(spread({ shiftX: steps })), 'shake')).toBeUndefined()
    const shaking = Array.from({ length: 25 }, (_, index) => (index % 2 === 0 ? 6 : -6))
    expect(find(facts(), measurement(spread({ shiftX: shaking })), 'shake')).toBeDefined()
  })

  test('blocking of coders that smooth their own blocks, where it is hardly seen', () => {
    const still = { ...window().still!, gridX: 1.8, gridY: 1.8, gridStepX: 0.2, gridStepY: 0.2 }
    expect(find(facts({ codec: 'h264' }), measurement(spread({ still })), 'blocking')).toBeUndefined()
    expect(find(facts({ codec: 'mpeg4' }), measurement(spread({ still })), 'blocking')).toBeDefined()
  })
})
