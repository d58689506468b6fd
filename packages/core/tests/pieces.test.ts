import { describe, expect, test } from 'vitest'
import {
  CannotTreat,
  CutsUnknown,
  deriveTreatment,
  describePiece,
  pictureFileSpecs,
  plannedPieces as piecesOf,
  rational,
  resultName,
  specProblems,
  withContainer,
  type Chapter,
  type DeliverySpec,
  type PictureSpec,
  type SourceFacts,
  type SpecPieces,
  type Step,
  type VideoFacts,
} from '../src/index.ts'
import { facts as unsureFacts, soundSpec, spec } from './examples.ts'

/** Cutting a source of 120 s at 25 frames a second in pieces; every border is worked out by hand. */
const facts = (changes: Partial<VideoFacts> = {}) => unsureFacts({ frameCountFrom: 'packets', ...changes })
/** The pieces of a source, each with its treatment. */
const plannedPieces = (
  of: SourceFacts,
  wanted: DeliverySpec,
  steps: readonly Step[],
  cuts: readonly number[] | null = null,
) => piecesOf(of, wanted, steps, cuts).map(entry => ({ ...entry, treatment: deriveTreatment(of, wanted, entry.steps) }))
const cut = (pieces: SpecPieces): PictureSpec => ({ ...spec('small-mkv'), pieces })
const chaptered = (...chapters: (number | [number, string])[]): SourceFacts => ({
  ...facts(),
  chapters: chapters.map((chapter): Chapter =>
    typeof chapter === 'number' ? { from: chapter, title: null } : { from: chapter[0], title: chapter[1] },
  ),
})
const trim = (...ranges: [number, number][]): Step => ({
  kind: 'trim',
  ranges: ranges.map(([from, to]) => ({ from, to })),
})
const rangesOf = (of: SourceFacts, pieces: SpecPieces, steps: Step[] = []) =>
  plannedPieces(of, cut(pieces), steps).map(({ treatment }) =>
    treatment.timeline!.ranges!.map(({ from, to }) => [from, to]),
  )

describe('pieces by chapters', () => {
  test('begin with the frame nearest to where a chapter does; the dummy at the end of a disc goes with the last', () => {
    // 15.013 s is 0.325 frames behind frame 375, 40.03 s 0.75 frames behind frame 1000.
    expect(rangesOf(chaptered(0, 15.013, 40.03, 119.6), { at: 'chapters' })).toEqual([
      [[0, 15]],
      [[15, 40.04]],
      [[40.04, 120]],
    ])
  })

  test('have the titles of their chapters; what lies before the first one is a piece without', () => {
    const pieces = plannedPieces(chaptered([20, 'Ebb'], [60, 'Flood']), cut({ at: 'chapters' }), [])
    expect(pieces.map(({ piece }) => piece)).toEqual([
      { number: 1, of: 3, title: null },
      { number: 2, of: 3, title: 'Ebb' },
      { number: 3, of: 3, title: 'Flood' },
    ])
    expect(pieces.map(({ treatment }) => treatment.result!.frameCount)).toEqual([500, 1000, 1500])
    // One that begins within a second has what lies before it.
    expect(rangesOf(chaptered(0.6, 60), { at: 'chapters' })).toEqual([[[0, 60]], [[60, 120]]])
    expect(rangesOf(chaptered(0, 0.4, 60), { at: 'chapters' })).toEqual([[[0, 60]], [[60, 120]]])
  })

  test('keep what a trim keeps of them, with the other steps', () => {
    const rotate: Step = { kind: 'rotate', degrees: 90 }
    const pieces = plannedPieces(chaptered(0, 15, 35, 80), cut({ at: 'chapters' }), [rotate, trim([10, 20], [30, 50])])
    expect(pieces.every(({ steps }) => steps.length === 2 && steps[1] === rotate)).toBe(true)
    expect(pieces.map(({ treatment }) => treatment.timeline!.ranges!.map(({ from, to }) => [from, to]))).toEqual([
      [[10, 15]],
      [
        [15, 20],
        [30, 35],
      ],
      [[35, 50]],
    ])
  })

  test('are one result where there are no chapters, or one', () => {
    for (const of of [facts(), chaptered(0)])
      expect(plannedPieces(of, cut({ at: 'chapters' }), [])).toMatchObject([{ piece: null, steps: [] }])
    expect(plannedPieces(facts(), spec('small-mkv'), [trim([0, 5])])).toMatchObject([{ piece: null }])
  })
})

describe('pieces by cuts', () => {
  const byCuts = (cuts: number[], leastSeconds = 0, steps: Step[] = []) =>
    plannedPieces(facts(), cut({ at: 'cuts', leastSeconds }), steps, cuts).map(({ treatment }) =>
      treatment.timeline!.ranges!.map(({ from, to }) => [from, to]),
    )

  test('go from cut to cut, each border at the frame that a cut is in front of', () => {
    // 30.0133 s is a third of a frame behind frame 750.
    expect(byCuts([12.04, 30.0133])).toEqual([[[0, 12.04]], [[12.04, 30]], [[30, 120]]])
  })

  test('shorter than is wished go with the one before, the first with the one behind', () => {
    // Of the cuts at 2, 20, 21, 22 and 118 s, pieces of 4 s or more begin at 0, 22 (20 to 21 and 21 to 22 are short) and nowhere else.
    expect(byCuts([2, 20, 21, 22, 118], 4)).toEqual([[[0, 22]], [[22, 120]]])
    expect(byCuts([2, 20, 21, 22, 118], 1)).toHaveLength(6)
  })

  test('keep what a trim keeps of them', () => {
    expect(byCuts([10, 40, 60], 0, [trim([20, 50], [70, 80])])).toEqual([[[20, 40]], [[40, 50]], [[70, 80]]])
  })

  test('are one where it cuts nowhere, and one of sound alone', () => {
    expect(plannedPieces(facts(), cut({ at: 'cuts', leastSeconds: 0 }), [], [])).toMatchObject([{ piece: null }])
    const heard = { ...facts(), video: null }
    const flac = { ...soundSpec('sound-flac'), pieces: { at: 'cuts', leastSeconds: 0 } as const }
    expect(piecesOf(heard, flac, [], null)).toMatchObject([{ piece: null }])
  })

  test('cannot be told before the whole was looked at, and the sentence says what to do', () => {
    const ask = () => plannedPieces(facts(), cut({ at: 'cuts', leastSeconds: 0 }), [], null)
    expect(ask).toThrow(CutsUnknown)
    expect(ask).toThrow(/only places of it were looked at. Look through it for cuts first/)
  })

  test('of a still have the frame in the middle of each', () => {
    const png = pictureFileSpecs.find(({ key }) => key === 'still-png')!
    const pieces = piecesOf(facts(), { ...png, pieces: { at: 'cuts', leastSeconds: 0 } }, [], [10, 60])
    expect(pieces.map(({ steps }) => steps[0])).toMatchObject([
      { ranges: [{ from: 5, to: 5.04 }] },
      { ranges: [{ from: 35, to: 35.04 }] },
      { ranges: [{ from: 90, to: 90.04 }] },
    ])
  })
})

describe('pieces by length', () => {
  test('are as long as wished, in the time of the result; a small rest goes with the last', () => {
    expect(rangesOf(facts(), { at: 'length', seconds: 50 })).toEqual([[[0, 50]], [[50, 100]], [[100, 120]]])
    expect(rangesOf(facts(), { at: 'length', seconds: 39 })).toEqual([[[0, 39]], [[39, 78]], [[78, 120]]])
    // At twice the speed, twice as much of the source.
    const twice: Step = { kind: 'speed', factor: 2, between: 'repeat', cutThreshold: 10 }
    expect(rangesOf(facts(), { at: 'length', seconds: 25 }, [twice])).toEqual([[[0, 50]], [[50, 100]], [[100, 120]]])
    expect(plannedPieces(facts(), cut({ at: 'length', seconds: 120 }), [])).toHaveLength(1)
  })

  test('begin with frames at any rate, and have all of them once', () => {
    const film = { ...facts({ frameRate: rational(30_000, 1001), frameCount: 3597 }), durationSeconds: 120.02 }
    const pieces = plannedPieces(film, cut({ at: 'length', seconds: 7 }), [])
    // 7 s are 209.79 frames: the border lies before frame 210.
    expect(pieces[0]!.treatment.timeline!.ranges).toEqual([{ from: 0, to: 7.007 }])
    expect(pieces.reduce((sum, { treatment }) => sum + treatment.result!.frameCount, 0)).toBe(3597)
    for (const [index, { treatment }] of pieces.slice(1).entries())
      expect(treatment.timeline!.ranges![0]!.from).toBe(pieces[index]!.treatment.timeline!.ranges!.at(-1)!.to)
  })

  test('of what may be longer than it says end behind its end', () => {
    const pieces = plannedPieces(facts({ frameCountFrom: 'length' }), cut({ at: 'length', seconds: 60 }), [])
    expect(pieces.at(-1)!.treatment.timeline!.ranges!.at(-1)!.to).toBeGreaterThan(125)
  })

  test('are refused where there would be more than can be made at once', () => {
    const hours = { ...facts({ frameCount: 3_600_000 }), durationSeconds: 144_000 }
    expect(() => plannedPieces(hours, cut({ at: 'length', seconds: 60 }), [])).toThrow(CannotTreat)
    expect(() => plannedPieces(hours, cut({ at: 'length', seconds: 60 }), [])).toThrow(/2400 pieces; 500 can be made/)
  })

  test('each fit a cap that the whole does not', () => {
    const rateControl = { kind: 'size cap', bytes: 2_000_000 } as const
    const mail = { ...spec('mail-mp4'), video: { ...spec('mail-mp4').video, rateControl } }
    const hour = { ...facts({ frameCount: 90_000 }), durationSeconds: 3600 }
    expect(() => plannedPieces(hour, mail, [])).toThrow(CannotTreat)
    expect(plannedPieces(hour, { ...mail, pieces: { at: 'length', seconds: 60 } }, [])).toHaveLength(60)
  })

  test('are cut of sound alone, too', () => {
    const pieces = plannedPieces(facts(), { ...soundSpec('sound-flac'), pieces: { at: 'length', seconds: 60 } }, [])
    expect(pieces.map(({ treatment }) => treatment.result === null && treatment.seconds)).toEqual([60, 60])
  })
})

describe('pieces by what a trim keeps', () => {
  test('are one for each of its ranges', () => {
    expect(rangesOf(facts(), { at: 'ranges' }, [trim([10, 20], [30, 50])])).toEqual([[[10, 20]], [[30, 50]]])
    expect(plannedPieces(facts(), cut({ at: 'ranges' }), [])).toMatchObject([{ piece: null }])
    expect(plannedPieces(facts(), cut({ at: 'ranges' }), [trim([10, 20])])).toMatchObject([{ piece: null }])
  })
})

describe('names of pieces', () => {
  const about = {
    ...{ item: 'Tape 12.dv', number: 1, lot: null, order: 'SL-1', disc: null, result: null, date: '2026-12-01' },
    piece: { number: 7, of: 12, title: 'Ebb / flood' },
  }
  test('say which one it is: where the pattern does, or behind all else', () => {
    expect(resultName(cut({ at: 'chapters' }), about)).toBe('Tape 12-small-07.mkv')
    const named = { ...cut({ at: 'chapters' }), namePattern: '{item}/{piece} {chapter}' }
    expect(resultName(named, about)).toBe('Tape 12/07 Ebb _ flood.mkv')
    expect(resultName(named, { ...about, piece: { number: 7, of: 120, title: null } })).toBe('Tape 12/007.mkv')
    expect(resultName(cut({ at: 'chapters' }), { ...about, piece: null })).toBe('Tape 12-small.mkv')
    expect(describePiece('Tape 12.dv', about.piece)).toBe('Tape 12.dv, piece 7 of 12')
  })
})

describe('frames of a moving picture as stills', () => {
  const still = (pieces?: SpecPieces): PictureSpec => ({
    ...pictureFileSpecs.find(({ key }) => key === 'still-png')!,
    ...(pieces ? { pieces } : {}),
  })
  const framesOf = (of: SourceFacts, pieces: SpecPieces, steps: Step[] = []) =>
    plannedPieces(of, still(pieces), steps).map(({ treatment }) => {
      expect(treatment.result!.frameCount).toBe(1)
      return Math.round(treatment.timeline!.ranges![0]!.from * 25)
    })

  test('are the middle ones of pieces: of every so long, of chapters, of what a trim keeps', () => {
    // 120 s in four of 30: the middles are 15, 45, 75 and 105 s.
    expect(framesOf(facts(), { at: 'length', seconds: 30 })).toEqual([375, 1125, 1875, 2625])
    expect(framesOf(chaptered(0, 20), { at: 'chapters' })).toEqual([250, 1750])
    expect(framesOf(facts(), { at: 'ranges' }, [trim([10, 20], [30, 50])])).toEqual([375, 1000])
    // A moment that a person marked: a range of one frame.
    expect(framesOf(facts(), { at: 'ranges' }, [trim([12.04, 12.08], [50, 50.04])])).toEqual([301, 1250])
    // Of a piece with a hole in it, the middle of what is kept.
    expect(framesOf(chaptered(0, 60), { at: 'chapters' }, [trim([0, 10], [40, 60])])).toEqual([1125])
  })

  test('is one where there is nothing to cut by, called after its source alone', () => {
    const [only, ...others] = plannedPieces(facts(), still({ at: 'chapters' }), [])
    expect(others).toEqual([])
    expect(only!.piece).toBeNull()
    expect(framesOf(facts(), { at: 'chapters' })).toEqual([1500])
  })

  test('are refused where nobody asked for frames, and where steps make more of one', () => {
    expect(() => plannedPieces(facts(), still(), [])).toThrow(/moving picture of 3000 frames/)
    // What is tried at the Bench is no piece.
    expect(() => deriveTreatment(facts(), still({ at: 'chapters' }))).toThrow(/takes single frames of a moving picture/)
    const speed: Step = { kind: 'speed', factor: 2, between: 'repeat', cutThreshold: 10 }
    expect(() => plannedPieces(facts(), still({ at: 'chapters' }), [speed])).toThrow(/needs a picture that moves/)
    const fields: Step = { kind: 'deinterlace', to: 'field rate', firstField: 'top' }
    expect(() => plannedPieces(facts(), still({ at: 'chapters' }), [fields])).toThrow(/A still is one frame/)
  })

  test('are no matter to a single picture', () => {
    const plate = { ...facts({ frameCount: 1 }), durationSeconds: 0.04, audio: [] }
    expect(plannedPieces(plate, still({ at: 'length', seconds: 30 }), [])).toMatchObject([{ piece: null, steps: [] }])
    const kept = withContainer(cut({ at: 'chapters' }), 'png') as PictureSpec
    expect(kept.pieces).toEqual({ at: 'chapters' })
    expect(specProblems(kept)).toEqual([])
  })
})
