import {
  describeRate,
  equal,
  newStep,
  rational,
  readLanguages,
  type AssetKind,
  type AssetRef,
  type Rational,
  type Step,
  type StepKind,
  type StepOf,
} from '@hematine/core'

/** One control of a step. Fine ones stand one level down. */
export type StepField =
  | {
      label: string
      kind: 'choice'
      options: readonly string[]
      get: () => string
      set: (value: string) => Step
      fine?: true
    }
  | {
      label: string
      kind: 'number'
      min: number
      max: number
      by: number
      unit: string
      get: () => number
      set: (value: number) => Step
      fine?: true
    }
  | {
      label: string
      kind: 'asset'
      of: AssetKind
      get: () => AssetRef | null
      set: (asset: AssetRef | null) => Step
      fine?: true
    }
  | { label: string; kind: 'text'; get: () => string; set: (value: string) => Step | string; fine?: true }

const rates: readonly Rational[] = [
  [24000, 1001],
  [24, 1],
  [25, 1],
  [30000, 1001],
  [30, 1],
  [48, 1],
  [50, 1],
  [60000, 1001],
  [60, 1],
].map(([num, den]) => rational(num!, den))
const aspects: Record<string, Rational> = {
  '4:3': rational(4, 3),
  '16:9': rational(16, 9),
  '3:2': rational(3, 2),
  '1:1': rational(1),
  '1.85:1': rational(37, 20),
  '2.39:1': rational(239, 100),
}
const strengths = ['light', 'medium', 'strong'] as const
const betweenWays = ['repeat', 'blend', 'motion'] as const

/** The controls of a step as it is now. */
export function fieldsOf(step: Step): StepField[] {
  const choice = <S extends Step, Key extends keyof S & string>(
    of: S,
    key: Key,
    label: string,
    options: readonly (S[Key] & (string | number))[],
    fine?: true,
  ): StepField => ({
    label,
    kind: 'choice',
    options: options.map(String),
    get: () => String(of[key]),
    set: value => ({ ...of, [key]: options.find(option => String(option) === value) }) as Step,
    ...(fine ? { fine } : {}),
  })
  const number = <S extends Step, Key extends keyof S & string>(
    of: S,
    key: Key,
    label: string,
    [min, max, by]: readonly [number, number, number],
    unit: string,
    fine?: true,
  ): StepField => ({
    label,
    kind: 'number',
    min,
    max,
    by,
    unit,
    get: () => of[key] as number,
    set: value => ({ ...of, [key]: value }) as Step,
    ...(fine ? { fine } : {}),
  })
  const betweens = (of: StepOf<'speed' | 'more-frames' | 'rate'>): StepField[] => [
    choice(of, 'between', 'New frames', betweenWays),
    number(of, 'cutThreshold', 'Cut at a change of', [0, 100, 1], '%', true),
  ]
  switch (step.kind) {
    case 'trim':
      return [
        {
          label: 'Keep (seconds)',
          kind: 'text',
          get: () => step.ranges.map(({ from, to }) => `${from}-${to}`).join(', '),
          set: text => rangesOf(text),
        },
      ]
    case 'deinterlace':
      return [
        choice(step, 'to', 'One frame a', ['frame rate', 'field rate']),
        choice(step, 'firstField', 'First field', ['as found', 'top', 'bottom'], true),
      ]
    case 'drop-repeats':
      return [number(step, 'every', 'Drop one of', [2, 25, 1], 'frames')]
    case 'speed':
      return [
        {
          label: 'Speed',
          kind: 'number',
          min: 10,
          max: 400,
          by: 5,
          unit: '%',
          get: () => Math.round(step.factor * 100),
          set: value => ({ ...step, factor: value / 100 }),
        },
        ...betweens(step),
      ]
    case 'more-frames':
      return [number(step, 'times', 'Times', [2, 5, 1], 'x'), ...betweens(step)]
    case 'rate':
      return [
        {
          label: 'Frames a second',
          kind: 'choice',
          options: rates.map(describeRate),
          get: () => describeRate(step.to),
          set: value => ({ ...step, to: rates.find(rate => describeRate(rate) === value)! }),
        },
        ...betweens(step),
      ]
    case 'crop':
      return (['left', 'top', 'right', 'bottom'] as const).map(side =>
        number(step, side, side[0]!.toUpperCase() + side.slice(1), [0, 4096, 2], 'px'),
      )
    case 'aspect':
      return [
        {
          label: 'Shape',
          kind: 'choice',
          options: Object.keys(aspects),
          get: () => Object.keys(aspects).find(name => equal(aspects[name]!, step.display)) ?? '',
          set: value => ({ ...step, display: aspects[value]! }),
        },
      ]
    case 'rotate':
      return [choice(step, 'degrees', 'Degrees', [90, 180, 270])]
    case 'flip':
      return [choice(step, 'way', 'Way', ['left to right', 'top to bottom'])]
    case 'steady':
      return [
        choice(step, 'method', 'Method', ['quick', 'two readings']),
        number(step, 'edge', 'Edge to lose', [4, 256, 2], 'px'),
        ...(step.method === 'two readings'
          ? [choice(step, 'smooth', 'Smooth over', ['short', 'medium', 'long'], true)]
          : []),
      ]
    case 'scale':
      return [
        {
          label: 'By',
          kind: 'choice',
          options: ['factor', 'size'],
          get: () => step.to.by,
          set: value => ({
            ...step,
            to: value === 'factor' ? { by: 'factor', factor: 2 } : { by: 'size', width: 1920, height: 1080 },
          }),
        },
        ...(step.to.by === 'factor'
          ? [
              {
                label: 'Factor',
                kind: 'number',
                min: 0.1,
                max: 8,
                by: 0.1,
                unit: 'x',
                get: () => (step.to.by === 'factor' ? step.to.factor : 1),
                set: (value: number) => ({ ...step, to: { by: 'factor', factor: value } }),
              } satisfies StepField,
            ]
          : (['width', 'height'] as const).map((side): StepField => ({
              label: side === 'width' ? 'Width' : 'Height',
              kind: 'number',
              min: 16,
              max: 7680,
              by: 2,
              unit: 'px',
              get: () => (step.to.by === 'size' ? step.to[side] : 0),
              set: value => ({
                ...step,
                to: { ...(step.to as { by: 'size'; width: number; height: number }), [side]: value },
              }),
            }))),
        choice(step, 'kernel', 'Kernel', ['lanczos', 'spline', 'bicubic'], true),
      ]
    case 'pad':
      return (['width', 'height'] as const).map((side): StepField => ({
        label: side === 'width' ? 'Width' : 'Height',
        kind: 'number',
        min: 16,
        max: 7680,
        by: 2,
        unit: 'px',
        get: () => step.to[side],
        set: value => ({ ...step, to: { ...step.to, [side]: value } }),
      }))
    case 'deblock':
      return [choice(step, 'strength', 'Strength', ['light', 'strong'])]
    case 'clean-up':
      return [number(step, 'strength', 'Strength', [0, 100, 5], '%')]
    case 'denoise':
      return [choice(step, 'strength', 'Strength', strengths), choice(step, 'method', 'Method', ['fast', 'careful'])]
    case 'flicker':
      return [number(step, 'frames', 'Over', [3, 25, 1], 'frames')]
    case 'unblur':
      return [choice(step, 'strength', 'Strength', strengths), number(step, 'radius', 'Blur', [0.3, 4, 0.1], 'px')]
    case 'anti-alias':
      return [choice(step, 'along', 'Along', ['lines', 'lines and columns'])]
    case 'deband':
    case 'sharpen':
    case 'grain':
    case 'sound-denoise':
    case 'dehalo':
    case 'dust':
    case 'scratches':
    case 'speech':
      return [choice(step as StepOf<'deband'>, 'strength', 'Strength', strengths)]
    case 'soften-mark':
      return (['x', 'y', 'width', 'height'] as const).map(side =>
        number(
          step,
          side,
          side.length === 1 ? side.toUpperCase() : side === 'width' ? 'Width' : 'Height',
          [side.length === 1 ? 0 : 3, 4096, 1],
          'px',
        ),
      )
    case 'learned':
      return [
        choice(step, 'network', 'For pictures', ['clean', 'compressed', 'drawn']),
        choice(step, 'size', 'Network', ['fast', 'careful']),
        choice(step, 'times', 'Times', [2, 4]),
        number(step, 'strength', 'Learned detail', [0, 100, 5], '%', true),
      ]
    case 'grade':
      return [
        number(step, 'exposure', 'Exposure', [-3, 3, 0.1], 'stops'),
        ...(['contrast', 'saturation', 'warmth', 'tint'] as const).map(key =>
          number(
            step,
            key,
            key[0]!.toUpperCase() + key.slice(1),
            [-100, 100, 5],
            '%',
            key === 'tint' || key === 'warmth' ? true : undefined,
          ),
        ),
      ]
    case 'lookup-table':
      return [
        {
          label: 'Table',
          kind: 'asset',
          of: 'lookup table',
          get: () => step.asset,
          set: asset => ({ ...step, asset }),
        },
        number(step, 'strength', 'Strength', [0, 100, 5], '%'),
      ]
    case 'high-range':
      return [
        choice(step, 'transfer', 'Transfer', ['PQ', 'HLG']),
        number(step, 'white', 'White at', [100, 400, 1], 'cd/m²', true),
      ]
    case 'picture-mark':
      return [
        { label: 'Picture', kind: 'asset', of: 'picture', get: () => step.asset, set: asset => ({ ...step, asset }) },
        choice(step, 'corner', 'Place', ['top left', 'top right', 'bottom left', 'bottom right', 'middle']),
        number(step, 'size', 'Height', [1, 100, 1], '%', true),
        number(step, 'opacity', 'Opacity', [0, 100, 5], '%', true),
      ]
    case 'burn-subtitles':
      return [
        {
          label: 'Language',
          kind: 'text',
          get: () => step.language,
          set: text => {
            const { languages, unknown } = readLanguages(text)
            if (unknown.length > 0 || languages.length > 1)
              return 'Write the code of one language, as en, de or fr; or nothing for the first track.'
            return { ...step, language: languages[0] ?? '' }
          },
        },
        choice(step, 'which', 'Show', ['all', 'forced']),
        number(step, 'size', 'Height of text', [2, 15, 0.5], '%', true),
      ]
    case 'text-mark':
      return [
        {
          label: 'Text',
          kind: 'text',
          get: () => step.text,
          set: text => (text.trim() === '' ? 'A text mark needs a text.' : { ...step, text }),
        },
        choice(step, 'corner', 'Place', ['top left', 'top right', 'bottom left', 'bottom right', 'middle']),
        number(step, 'size', 'Height', [1, 30, 0.5], '%', true),
        number(step, 'opacity', 'Opacity', [0, 100, 5], '%', true),
      ]
    case 'keep-tracks':
      return [
        {
          label: 'Tracks',
          kind: 'text',
          get: () => step.tracks.map(track => track + 1).join(', '),
          set: text => tracksOf(text),
        },
      ]
    case 'sound-hum':
      return [choice(step, 'hertz', 'Mains', [50, 60])]
    case 'channels':
      return [choice(step, 'make', 'Make', ['left on both', 'right on both', 'swapped', 'right turned over'])]
    case 'sound-delay':
      return [number(step, 'milliseconds', 'Later by', [-10_000, 10_000, 10], 'ms')]
    case 'loudness':
      return [number(step, 'target', 'To', [-40, -8, 1], 'LUFS')]
    case 'undo-pulldown':
    case 'black-and-white':
      return []
  }
}

function rangesOf(text: string): Step | string {
  const ranges = text.split(',').map(part => /^\s*(\d+(?:\.\d+)?)\s*-\s*(\d+(?:\.\d+)?)\s*$/.exec(part))
  if (ranges.some(range => !range || Number(range[2]) <= Number(range[1])))
    return "Write ranges as 2.5-10, 30-42: seconds from the source's start, each end after its beginning."
  return { kind: 'trim', ranges: ranges.map(range => ({ from: Number(range![1]), to: Number(range![2]) })) }
}

function tracksOf(text: string): Step | string {
  const tracks = text
    .split(',')
    .map(part => part.trim())
    .filter(part => part !== '')
  if (tracks.some(track => !/^[1-9]\d?$/.test(track)))
    return 'Write the numbers of the tracks to keep as 1, 2. Nothing keeps none.'
  return { kind: 'keep-tracks', tracks: [...new Set(tracks.map(track => Number(track) - 1))] }
}

/** A step laid out by one of its choices: "denoise light / medium / strong". */
export interface Variation {
  label: string
  step: Step | null
}

/** What each kind of step can be varied by, the step left out among it. */
export function variationsOf(step: Step): Variation[] {
  const [field] = fieldsOf(step).filter(entry => entry.kind === 'choice' && entry.options.length <= 6)
  const without: Variation = { label: 'none', step: null }
  if (field?.kind !== 'choice') return [without, { label: 'as set', step }]
  if (step.kind === 'learned')
    return [without, ...(['fast', 'careful'] as const).map(size => ({ label: size, step: { ...step, size } }))]
  return [without, ...field.options.map(option => ({ label: option, step: field.set(option) }))]
}

/** A new step of a kind that fits the picture it will be given. */
export function stepFor(kind: StepKind, picture: { width: number; height: number } | null): Step {
  const step = newStep(kind)
  if (step.kind === 'pad' && picture)
    return {
      ...step,
      to: { width: Math.ceil(Math.max(picture.width, (picture.height * 16) / 9) / 2) * 2, height: picture.height },
    }
  return step
}
