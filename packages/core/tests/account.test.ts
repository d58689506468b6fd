import { describe, expect, test } from 'vitest'
import {
  accountLines,
  accountOfPictures,
  accountOfSound,
  asMeasured,
  deriveTreatment,
  describePictures,
  describeSure,
  finding,
  leftInBy,
  newStep,
  keptRegion,
  pictureRegion,
  rational,
  suggestSteps,
  type PlainLook,
  type PlainSound,
} from '../src/index.ts'
import { discFacts, facts, spec } from './examples.ts'

const box = spec('playback-box')
const small = spec('small-mp4')

function look(pictures: number, changes: Partial<PlainLook> = {}): PlainLook {
  const column = (value: number) => Array.from({ length: pictures }, () => value)
  return {
    pictures,
    errors: 0,
    repeatsAtEnd: 0,
    seconds: column(0).map((_, index) => index / 25),
    mean: column(100),
    change: column(5),
    samples: [],
    signs: null,
    ...changes,
  }
}

const source = (pictures: number, changes = {}) =>
  facts({ width: 1280, height: 720, frameCount: pictures, frameCountFrom: 'packets', slots: pictures, ...changes })

describe('the account of pictures', () => {
  test('of a plain job is one for one', () => {
    const known = source(250)
    const account = accountOfPictures(look(250), look(250), known, deriveTreatment(known, small))
    expect(account).toMatchObject({
      pictures: 250,
      expected: 250,
      found: 250,
      tolerance: 0,
      dropped: [],
      repeated: [],
      made: [],
    })
    expect(
      accountLines({ picture: account, sound: [] }, deriveTreatment(known, small), undefined).every(
        line => line.verdict === 'pass',
      ),
    ).toBe(true)
  })

  test('names what a lower rate drops: 60 under 30 shows every second one', () => {
    const known = source(600, { frameRate: rational(60) })
    const times = Array.from({ length: 600 }, (_, index) => index / 60)
    const account = accountOfPictures(look(600, { seconds: times }), look(300), known, deriveTreatment(known, box))
    expect(account).toMatchObject({ dropped: [{ by: 'the rate', count: 300 }], expected: 300 })
    expect(describePictures(account)).toBe('600 pictures, 300 dropped by the rate')
  })

  test('of a slow source at a held rate stands still between its pictures, and nowhere else', () => {
    const known = source(4, { frameRate: rational(1) })
    const video = { ...box.video, maxFrameRate: { num: 24_000, den: 1001 }, holdsFrameRate: true as const }
    const treatment = deriveTreatment(known, { ...box, video })
    const slow = look(4, { seconds: [0, 1, 2, 3], change: [-1, 5, 5, 5] })
    const shownAt = (seconds: number) => Math.ceil((seconds * 24_000) / 1001)
    const changing = (times: readonly number[]) =>
      look(96, { change: Array.from({ length: 96 }, (_, index) => (times.map(shownAt).includes(index) ? 5 : 0)) })
    expect(accountOfPictures(slow, changing([1, 2, 3]), known, treatment).stuck).toEqual([])
    // Without the picture at 2 s, what stands still does so from 1 s to 3 s.
    const [stuck] = accountOfPictures(slow, changing([1, 3]), known, treatment).stuck
    expect([stuck!.from, stuck!.to].map(Math.round)).toEqual([1, 3])
  })

  test('fills gaps with the picture before, and says so', () => {
    const times = Array.from({ length: 100 }, (_, index) => (index < 40 ? index : index + 25) / 25)
    const known = source(100, { slots: 125, gaps: { count: 1, seconds: 1, places: [] } })
    expect(
      accountOfPictures(look(100, { seconds: times }), look(125), known, deriveTreatment(known, small)),
    ).toMatchObject({ expected: 125, repeated: [{ by: 'gaps', count: 25 }] })
  })

  test('of one frame a field has two of each', () => {
    const known = { ...discFacts, video: { ...discFacts.video!, frameCountFrom: 'packets' as const, slots: 350 } }
    const account = accountOfPictures(look(350), look(700), known, deriveTreatment(known, small))
    expect(account).toMatchObject({ made: [{ by: 'Deinterlace, one frame a field', count: 350 }], expected: 700 })
  })

  test('leaves to a step what it drops', () => {
    const known = source(250)
    const treatment = deriveTreatment(known, small, [{ kind: 'trim', ranges: [{ from: 2, to: 6 }] }])
    expect(accountOfPictures(look(250), look(100), known, treatment)).toMatchObject({
      dropped: [{ by: 'Trim', count: 150 }],
      expected: 100,
    })
  })

  test('runs on over jumps that the facts know', () => {
    const times = Array.from({ length: 117 }, (_, index) => (index < 57 ? index : index - 56) / 25)
    const known = { ...source(117), jumps: [{ seconds: 2.28, by: -2.24, of: 'picture' as const }] }
    expect(
      accountOfPictures(look(117, { seconds: times }), look(117), known, deriveTreatment(known, small)),
    ).toMatchObject({ expected: 117, dropped: [] })
  })

  test('is open where pictures are missing, whatever was forecast', () => {
    const known = source(250)
    const treatment = deriveTreatment(known, small)
    const [line] = accountLines(
      { picture: accountOfPictures(look(250), look(152), known, treatment), sound: [] },
      treatment,
      undefined,
    )
    expect(line).toMatchObject({
      verdict: 'fail',
      reason: '98 frames of the source are not in the result, and no step or rule dropped them.',
    })
  })
})

describe('the account of sound', () => {
  /** A sound whose pitch wanders, so that it is like itself at one place only. */
  const samples = (seconds: number, shift = 0, sign = 1) =>
    Array.from({ length: seconds * 2000 }, (_, index) => {
      const at = index / 2000 - shift
      return at < 0 ? 0 : sign * 0.4 * Math.sin(2 * Math.PI * (150 + 60 * Math.sin(1.3 * at)) * at)
    })
  const sound = (changes: Partial<PlainSound> = {}): PlainSound => ({
    seconds: 12,
    first: 0,
    last: 12,
    errors: 0,
    sampleRate: 48_000,
    channels: 2,
    loudness: [-12, -12],
    rate: 2000,
    coarse: [samples(12), samples(12)],
    ...changes,
  })
  const known = source(300)
  const treatment = deriveTreatment(known, small)

  test('of the same sound is in step', () => {
    expect(accountOfSound(sound(), sound(), known, treatment)).toMatchObject({
      expectedEnd: 12,
      foundEnd: 12,
      late: 0,
      silent: [],
      turnedOver: [],
    })
  })

  test.each([0.05, -0.08, 0.2])('tells by how much it is late: %d s', late => {
    const result = sound({ coarse: [samples(12, late), samples(12, late)] })
    expect(accountOfSound(sound(), result, known, treatment).late).toBeCloseTo(late, 3)
  })

  test('takes what a step moves into account', () => {
    const moved = deriveTreatment(known, small, [{ kind: 'sound-delay', milliseconds: 200 }])
    const result = sound({ last: 12.2, coarse: [samples(12, 0.2), samples(12, 0.2)] })
    expect(accountOfSound(sound(), result, known, moved)).toMatchObject({ late: 0, expectedEnd: 12.2 })
  })

  test('says what was cut off before the picture', () => {
    const early = sound({ first: -0.5, last: 11.5 })
    const result = sound({ seconds: 11.5, last: 11.5, coarse: [samples(12).slice(1000), samples(12).slice(1000)] })
    expect(accountOfSound(early, result, known, treatment)).toMatchObject({
      cutBefore: 0.5,
      expectedEnd: 11.5,
      late: 0,
    })
  })

  test('does not call a tone turned over that is half of its period late', () => {
    const tone = (late: number) =>
      Array.from({ length: 24_000 }, (_, index) => Math.sin(2 * Math.PI * 300 * (index / 2000 - late)))
    const [before, after] = [tone(0), tone(1 / 600)]
    expect(
      accountOfSound(sound({ coarse: [before, before] }), sound({ coarse: [after, after] }), known, treatment)
        .turnedOver,
    ).toEqual([])
  })

  test('finds channels that are silent or turned over', () => {
    expect(accountOfSound(sound(), sound({ loudness: [-12, -110] }), known, treatment).silent).toEqual([1])
    expect(
      accountOfSound(sound(), sound({ coarse: [samples(12, 0, -1), samples(12)] }), known, treatment).turnedOver,
    ).toEqual([0])
    const chosen = deriveTreatment(known, small, [{ kind: 'channels', make: 'left on both' }])
    expect(accountOfSound(sound(), sound({ loudness: [-12, -110] }), known, chosen).silent).toEqual([])
  })
})

describe('what is found and left as it is', () => {
  const noisy = finding('noise', 'fault', 'Clear noise: 4.2 codes of 255.', {
    value: 4.2,
    sure: 0.9,
    data: { weight: 'clear' },
  })
  const faint = finding('noise', 'fault', 'Light noise: 1.8 codes of 255.', {
    value: 1.8,
    sure: 0.9,
    data: { weight: 'light' },
  })
  const hum = finding('hum', 'fault', 'Sound 2 hums: 60 Hz.', { value: -50, sure: 0.9, data: { track: 1, hertz: 60 } })

  test('is named with the step that would cure it', () => {
    expect(leftInBy(facts(), [noisy], box, deriveTreatment(facts(), box))).toMatchObject([
      { finding: { key: 'noise' }, step: { kind: 'denoise', strength: 'medium' } },
    ])
    expect(leftInBy(facts(), [noisy], box, deriveTreatment(facts(), box, [newStep('denoise')]))).toEqual([])
  })

  test('is nothing where it is hardly seen, and where the spec keeps everything', () => {
    expect(leftInBy(facts(), [faint], box, deriveTreatment(facts(), box))).toEqual([])
    expect(
      leftInBy(facts(), [noisy], spec('archive-master'), deriveTreatment(facts(), spec('archive-master'))),
    ).toEqual([])
  })

  test('of one track is cured in that track only', () => {
    const step = suggestSteps(discFacts, [hum]).find(entry => entry.step.kind === 'sound-hum')!.step
    expect(step).toEqual({ kind: 'sound-hum', hertz: 60, track: 1 })
  })

  test('is never certain', () => {
    expect([1, 0.995, 0.98, 0.5].map(describeSure)).toEqual(['over 99 %', 'over 99 %', '98 %', '50 %'])
  })
})

describe('the scan that was measured', () => {
  const combed = finding('scan', 'nature', 'Interlaced, bottom field first.', {
    sure: 0.97,
    suggests: 'Deinterlace',
    data: { scan: 'interlaced', firstField: 'bottom' },
  })

  test('outvotes a flag that lies: a progressive spec gets whole frames', () => {
    const measured = asMeasured(facts(), [combed])
    expect(measured.video!.scan).toMatchObject({ kind: 'interlaced', firstField: 'bottom' })
    expect(deriveTreatment(measured, box).steps[0]).toMatchObject({
      kind: 'deinterlace',
      firstField: 'bottom',
      frames: 'all',
    })
    expect(deriveTreatment(facts(), box).steps.some(step => step.kind === 'deinterlace')).toBe(false)
  })

  test('is left to the flag where it is doubtful', () => {
    expect(asMeasured(facts(), [{ ...combed, sure: 0.6 }]).video!.scan.kind).toBe('progressive')
  })

  test('of combed and whole frames has only the combed ones deinterlaced', () => {
    const mixed = finding('scan', 'fault', 'Mixed.', { sure: 0.8, data: { scan: 'mixed', firstField: 'top' } })
    expect(deriveTreatment(asMeasured(facts(), [mixed]), box).steps[0]).toMatchObject({
      kind: 'deinterlace',
      frames: 'combed',
    })
  })
})

test('a single picture is no film', () => {
  expect(() => deriveTreatment(source(1), box)).toThrow(
    'Playback box MP4 is for moving pictures, and this source is a single picture: it would become a film of no length.',
  )
})

describe('the part of a source that is left of it', () => {
  const crop = { left: 20, top: 10, right: 40, bottom: 30 }
  const film = { ...discFacts.video!, width: 320, height: 240, pixelAspect: rational(1) }
  const frame = (width: number, height: number) => ({ width, height, pixelAspect: rational(1) })
  const cut = (from: [number, number], to: [number, number], sides = crop) => ({
    kind: 'chosen' as const,
    step: { kind: 'crop' as const, ...sides },
    from: frame(...from),
    to: frame(...to),
    why: 'Chosen.',
  })

  test('is what is not cut off, in the pixels of the source, before a size is changed and after', () => {
    expect(keptRegion({ steps: [cut([320, 240], [260, 200])] }, film)).toEqual({
      left: 20,
      top: 10,
      width: 260,
      height: 200,
    })
    const twice = { kind: 'size' as const, from: frame(320, 240), to: frame(640, 480), why: '' }
    const doubled = { left: 40, top: 20, right: 80, bottom: 60 }
    expect(keptRegion({ steps: [twice, cut([640, 480], [520, 400], doubled)] }, film)).toEqual({
      left: 20,
      top: 10,
      width: 260,
      height: 200,
    })
  })

  test('is not told where nothing is cut, where the picture is turned, or where hardly anything is left', () => {
    expect(keptRegion({ steps: [] }, film)).toBeNull()
    expect(keptRegion({ steps: [cut([320, 240], [260, 200])] }, { ...film, turned: 'turned by 90 degrees' })).toBeNull()
    const most = { left: 150, top: 110, right: 160, bottom: 120 }
    expect(keptRegion({ steps: [cut([320, 240], [10, 10], most)] }, film)).toBeNull()
  })

  test('and the part of a result that its picture has, among bars, follow the middle', () => {
    const pad = {
      kind: 'chosen' as const,
      step: { kind: 'pad' as const, to: { width: 640, height: 360 } },
      from: frame(480, 360),
      to: frame(640, 360),
      why: 'Chosen.',
    }
    expect(pictureRegion({ steps: [pad] })).toEqual({ left: 80, top: 0, width: 480, height: 360 })
    const half = { kind: 'size' as const, from: frame(640, 360), to: frame(320, 180), why: '' }
    expect(pictureRegion({ steps: [pad, half] })).toEqual({ left: 40, top: 0, width: 240, height: 180 })
    expect(pictureRegion({ steps: [half] })).toBeNull()
    // Of bars that are cut off again nothing is left.
    const over = { left: 100, top: 0, right: 60, bottom: 0 }
    expect(pictureRegion({ steps: [pad, cut([640, 360], [480, 360], over)] })).toEqual({
      left: 0,
      top: 0,
      width: 460,
      height: 360,
    })
  })
})
