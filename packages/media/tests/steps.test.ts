import { createHash } from 'node:crypto'
import path from 'node:path'
import {
  deriveTreatment,
  gradeMatrix,
  meanChange,
  motionBetween,
  newStep,
  noiseOf,
  columnGrid,
  parseLookupTable,
  profilesOf,
  rowGrid,
  shiftBetween,
  type PictureSpec,
  type Plane,
  type Step,
  type PictureTreatment,
} from '@hematine/core'
import { seeded } from '@hematine/demo/paint'
import { Frame } from 'node-av/lib'
import { beforeAll, describe, expect, test } from 'vitest'
import sharp from 'sharp'
import { provideAssets, readFacts, readMark, setUpLibraries } from '../src/index.ts'
import { TreatedPicture } from '../src/treating/picture-treatment.ts'
import { specOf } from '../../../tests/support/jobs.ts'
import { writeClip } from '../../../tests/support/material.ts'
import { scratchDirectory } from '../../../tests/support/scratch.ts'

/** Each step of a treatment on made-up material with a known fault. */
const scratch = scratchDirectory()
beforeAll(() => setUpLibraries())

/** A lossless progressive spec that leaves everything as the steps make it, in 8 bit 4:2:0. */
const plainSpec: PictureSpec = {
  ...specOf('archive-master'),
  video: { ...specOf('archive-master').video, scan: 'progressive', pixelFormat: 'yuv420p' },
}

async function draw(
  name: string,
  filters: string,
  video: Partial<Parameters<typeof writeClip>[0]['video']> = {},
): Promise<string> {
  const file = path.join(scratch, `${name}.mkv`)
  await writeClip({
    path: file,
    format: 'matroska',
    audio: [],
    video: { encoder: 'ffv1', options: { level: '3' }, filters, ...video },
  })
  return file
}

interface Shown {
  planes: Plane[]
  chroma: Plane[]
  treatment: PictureTreatment
}

/** Every frame of a file after steps: luma, and the first chroma plane. */
async function treated(file: string, steps: Step[], firstFrame = 0, spec = plainSpec): Promise<Shown> {
  const input = { kind: 'file' as const, path: file }
  const facts = await readFacts(input)
  const treatment = deriveTreatment(facts, spec, steps)
  const picture = await TreatedPicture.open(input, facts.video!, treatment, { firstFrame })
  const frame = new Frame()
  frame.alloc()
  const [planes, chroma]: [Plane[], Plane[]] = [[], []]
  const copy = (index: number, width: number, height: number): Plane => {
    const stride = frame.linesize[index]!
    return { data: Uint8Array.from(frame.data![index]!.subarray(0, stride * height)), width, height, stride }
  }
  while (await picture.next(frame)) {
    planes.push(copy(0, frame.width, frame.height))
    chroma.push(copy(1, frame.width >> 1, frame.height >> 1))
    frame.unref()
  }
  frame.free()
  await picture.close()
  return { planes, chroma, treatment }
}

/** All samples of a plane, without what pads its lines. */
const samplesOf = (plane: Plane) =>
  Array.from({ length: plane.height }, (_, y) => [
    ...plane.data.subarray(y * plane.stride, y * plane.stride + plane.width),
  ]).flat()
const valueAt = (plane: Plane, x: number, y: number) => plane.data[y * plane.stride + x]!
/** Mean of a plane inside a box. */
function meanOf(plane: Plane, box = { x: 0, y: 0, width: plane.width, height: plane.height }): number {
  let sum = 0
  for (let y = box.y; y < box.y + box.height; y++)
    for (let x = box.x; x < box.x + box.width; x++) sum += valueAt(plane, x, y)
  return sum / (box.width * box.height)
}
/** Frames whose number is their brightness: 40 + 4 n. */
const numbered = (frames: number, rate = '25') =>
  `nullsrc=s=160x120:r=${rate}:d=${frames / Number(rate)},geq=lum='40+4*N':cb=128:cr=128,format=yuv420p`
const numberOf = (plane: Plane) => Math.round((meanOf(plane) - 40) / 4)
const marks = (planes: Plane[]) => planes.map(numberOf)
/** A picture with detail, drawn once and held. */
const detailed = (frames: number, size = '320x240') =>
  `testsrc2=s=${size}:r=25:d=${frames / 25},loop=loop=${frames}:size=1,trim=end_frame=${frames},format=yuv420p`
const combing = (plane: Plane) => {
  let [odd, even] = [0, 0]
  for (let y = 2; y < plane.height - 2; y++)
    for (let x = 0; x < plane.width; x++) {
      odd += Math.abs(valueAt(plane, x, y) - valueAt(plane, x, y + 1))
      even += Math.abs(valueAt(plane, x, y) - valueAt(plane, x, y + 2))
    }
  return (odd + 1) / (even + 1)
}

describe('scan and time', () => {
  test('a combed clip comes out uncombed, and the wrong field order shows', async () => {
    // A bar that moves 8 pixels a field.
    const file = await draw(
      'combed',
      "color=c=gray:s=320x240:r=50:d=0.6,format=yuv420p,geq=lum='if(between(X,mod(N*8,280),mod(N*8,280)+40),220,60)':cb=128:cr=128,tinterlace=mode=interleave_top,setfield=tff",
    )
    const plain = await treated(file, [])
    const clean = await treated(file, [{ kind: 'deinterlace', to: 'field rate', firstField: 'top' }])
    const woven = await treated(file, [], 0, { ...plainSpec, video: { ...plainSpec.video, scan: 'as source' } })
    expect(combing(woven.planes[2]!)).toBeGreaterThan(10)
    expect(combing(clean.planes[5]!)).toBeLessThan(1.2)
    expect(plain.treatment.steps[0]!.kind).toBe('deinterlace')
    expect(clean.treatment.result.rate).toEqual({ num: 50, den: 1 })
    const edge = (plane: Plane) => Array.from({ length: 320 }, (_, x) => x).find(x => valueAt(plane, x, 120) > 140)!
    const motion = (shown: Shown) =>
      shown.planes
        .slice(2, 10)
        .map(edge)
        .map((x, index, all) => (index === 0 ? 8 : x - all[index - 1]!))
        .slice(1)
    expect(motion(clean).every(step => Math.abs(step - 8) <= 2)).toBe(true)
    // Bottom first: every second step goes back.
    const wrong = await treated(file, [{ kind: 'deinterlace', to: 'field rate', firstField: 'bottom' }])
    expect(motion(wrong).some(step => step < 0)).toBe(true)
  })

  test.each(['tff', 'prog'])(
    'a 3:2 clip gives back its film frames, also where nothing says that it has fields (%s)',
    async flag => {
      const film = 'testsrc2=s=320x240:r=24000/1001:d=1.0,format=yuv420p'
      const whole = await treated(await draw(`film-${flag}`, film), [])
      const file = await draw(`telecined-${flag}`, `${film},telecine=pattern=23,setfield=${flag}`)
      const { planes, treatment } = await treated(file, [{ kind: 'undo-pulldown' }])
      expect(treatment.result.rate).toEqual({ num: 24000, den: 1001 })
      expect(Math.abs(planes.length - whole.planes.length)).toBeLessThanOrEqual(1)
      // Each is a film frame whole again; the cadence may begin one later.
      const nearest = planes.slice(2, 20).map(plane => Math.min(...whole.planes.map(film => meanChange(film, plane))))
      expect(Math.max(...nearest)).toBeLessThan(0.5)
    },
  )

  test('repeated frames are dropped', async () => {
    const file = await draw('repeats', `${numbered(20, '20')},fps=25`)
    const { planes, treatment } = await treated(file, [{ kind: 'drop-repeats', every: 5 }])
    expect(treatment.result.rate).toEqual({ num: 20, den: 1 })
    expect(marks(planes).slice(0, 19)).toEqual(Array.from({ length: 19 }, (_, index) => index))
  })

  test('ranges are kept to the frame, also when the result is begun in its middle', async () => {
    const file = await draw('trim', numbered(50))
    const steps: Step[] = [
      {
        kind: 'trim',
        ranges: [
          { from: 0.2, to: 0.4 },
          { from: 1.2, to: 1.4 },
        ],
      },
    ]
    const { planes, treatment } = await treated(file, steps)
    expect(marks(planes)).toEqual([5, 6, 7, 8, 9, 30, 31, 32, 33, 34])
    expect(treatment.result.frameCount).toBe(10)
    expect(marks((await treated(file, steps, 7)).planes)).toEqual([32, 33, 34])
  })

  test('speed and rates give the promised number of frames', async () => {
    const file = await draw('speed', numbered(24))
    const slow = await treated(file, [{ kind: 'speed', factor: 0.5, between: 'repeat', cutThreshold: 10 }])
    expect(slow.planes).toHaveLength(48)
    expect(marks(slow.planes).slice(0, 8)).toEqual([0, 0, 1, 1, 2, 2, 3, 3])
    expect(
      marks((await treated(file, [{ kind: 'speed', factor: 2, between: 'repeat', cutThreshold: 10 }])).planes),
    ).toHaveLength(12)
    for (const between of ['repeat', 'blend', 'motion'] as const) {
      const { planes, treatment } = await treated(file, [{ kind: 'more-frames', times: 2, between, cutThreshold: 10 }])
      expect(treatment.result.rate).toEqual({ num: 50, den: 1 })
      expect([between, planes.length]).toEqual([between, 48])
    }
  })

  test('new frames between two shots are of one of them: no blend across a cut', async () => {
    const file = await draw(
      'cut',
      "nullsrc=s=320x240:r=25:d=0.8,geq=lum='if(lt(N,10),40+20*mod(X/40,2),200-20*mod(Y/30,2))':cb=128:cr=128,format=yuv420p",
    )
    for (const between of ['motion', 'blend'] as const) {
      const { planes } = await treated(file, [{ kind: 'more-frames', times: 2, between, cutThreshold: 10 }])
      const means = planes.map(plane => meanOf(plane))
      expect(means.every(mean => mean < 75 || mean > 165)).toBe(true)
    }
  })
})

describe('frame', () => {
  const corners =
    "nullsrc=s=320x240:r=25:d=0.2,geq=lum='if(lt(X,160),if(lt(Y,120),60,100),if(lt(Y,120),140,200))':cb=128:cr=128,format=yuv420p"
  const quarters = (plane: Plane) =>
    [
      [0.25, 0.25],
      [0.75, 0.25],
      [0.25, 0.75],
      [0.75, 0.75],
    ].map(([x, y]) => valueAt(plane, Math.round(plane.width * x!), Math.round(plane.height * y!)))

  test('crop takes off what was told, rotate and flip turn the picture', async () => {
    const file = await draw('corners', corners)
    const cropped = await treated(file, [{ kind: 'crop', left: 160, top: 0, right: 0, bottom: 120 }])
    expect(cropped.planes[0]).toMatchObject({ width: 160, height: 120 })
    expect(meanOf(cropped.planes[0]!)).toBeCloseTo(140, 0)
    expect(quarters((await treated(file, [{ kind: 'rotate', degrees: 90 }])).planes[0]!)).toEqual([100, 60, 200, 140])
    expect(quarters((await treated(file, [{ kind: 'rotate', degrees: 180 }])).planes[0]!)).toEqual([200, 100, 140, 60])
    expect(quarters((await treated(file, [{ kind: 'rotate', degrees: 270 }])).planes[0]!)).toEqual([140, 200, 60, 100])
    expect(quarters((await treated(file, [{ kind: 'flip', way: 'left to right' }])).planes[0]!)).toEqual([
      140, 60, 200, 100,
    ])
    expect(quarters((await treated(file, [{ kind: 'flip', way: 'top to bottom' }])).planes[0]!)).toEqual([
      100, 200, 60, 140,
    ])
  })

  test('scaling keeps the shape, by factor and into a box', async () => {
    const file = await draw('shape', `${corners},setsar=64/45`)
    const twice = await treated(file, [{ kind: 'scale', to: { by: 'factor', factor: 2 }, kernel: 'lanczos' }])
    expect(twice.treatment.result.frame).toEqual({ width: 640, height: 480, pixelAspect: { num: 64, den: 45 } })
    const boxed = await treated(file, [
      { kind: 'scale', to: { by: 'size', width: 640, height: 640 }, kernel: 'spline' },
    ])
    expect(boxed.treatment.result.frame).toEqual({ width: 640, height: 338, pixelAspect: { num: 1, den: 1 } })
    expect(quarters(boxed.planes[0]!)).toEqual([60, 140, 100, 200])
    const wide = await treated(file, [{ kind: 'aspect', display: { num: 4, den: 3 } }])
    expect(wide.treatment.result.frame.pixelAspect).toEqual({ num: 1, den: 1 })
  })

  test('bars are black and the picture lies in their middle', async () => {
    const {
      planes: [plane],
    } = await treated(await draw('padded', corners), [{ kind: 'pad', to: { width: 400, height: 300 } }])
    expect(plane).toMatchObject({ width: 400, height: 300 })
    expect(meanOf(plane!, { x: 0, y: 0, width: 40, height: 300 })).toBeCloseTo(16, 0)
    expect(valueAt(plane!, 45, 35)).toBe(60)
  })

  test('motion of a shaken clip falls by four fifths', async () => {
    const random = seeded(5)
    const offsets = Array.from({ length: 30 }, () => [Math.round(random() * 16), Math.round(random() * 12)] as const)
    const along = (side: 0 | 1) => offsets.map((offset, index) => `eq(n,${index})*${offset[side]}`).join('+')
    const file = await draw(
      'shaken',
      `mandelbrot=s=400x300:rate=25:start_scale=0.4:end_scale=0.4,trim=end_frame=1,loop=loop=30:size=1,trim=end_frame=30,crop=w=336:h=256:x='${along(0)}':y='${along(1)}',format=yuv420p`,
    )
    const motion = async (steps: Step[]) => {
      const { planes } = await treated(file, steps)
      const profiles = planes.map(plane => profilesOf(plane))
      const moved = profiles.slice(4).map((profile, index) => shiftBetween(profiles[index + 3]!, profile))
      return moved.reduce((sum, { x, y }) => sum + Math.hypot(x, y), 0) / moved.length
    }
    const before = await motion([])
    expect(before).toBeGreaterThan(5)
    expect(await motion([newStep('steady')])).toBeLessThan(before * 0.2)
    const twoReadings: Step = { kind: 'steady', edge: 24, method: 'two readings', smooth: 'medium' }
    expect(await motion([twoReadings])).toBeLessThan(before * 0.2)
    // A piece from the middle is as it is in the whole.
    const [whole, piece] = [await treated(file, [twoReadings]), await treated(file, [twoReadings], 22)]
    expect(piece.planes).toHaveLength(8)
    expect(meanChange(piece.planes[4]!, whole.planes[26]!)).toBeLessThan(1.5)
  })

  test('a turning shake goes with two readings', async () => {
    const turned = (n: number) => [0, 0.5, -0.4, 0.3, -0.6, 0.4, 0.1, -0.3][n % 8]!
    const along = Array.from({ length: 24 }, (_, n) => `eq(n,${n})*${turned(n)}*PI/180`).join('+')
    const file = await draw(
      'turning',
      `mandelbrot=s=480x360:rate=25:start_scale=0.4:end_scale=0.4,trim=end_frame=1,loop=loop=24:size=1,trim=end_frame=24,format=yuv420p,rotate='${along}':bilinear=1,crop=400:300`,
    )
    const turning = async (steps: Step[]) => {
      const { planes } = await treated(file, steps)
      return (
        planes.slice(1).reduce((sum, plane, index) => sum + Math.abs(motionBetween(planes[index]!, plane)!.angle), 0) /
        (planes.length - 1)
      )
    }
    const before = await turning([])
    expect((before * 180) / Math.PI).toBeGreaterThan(0.5)
    expect(await turning([{ kind: 'steady', edge: 16, method: 'two readings', smooth: 'medium' }])).toBeLessThan(
      before * 0.2,
    )
  })
})

describe('clean', () => {
  test('noise falls with the strength, by either method', async () => {
    const file = await draw('noisy', `${detailed(12)},noise=alls=14:allf=t`)
    const noise = async (steps: Step[]) => noiseOf((await treated(file, steps)).planes.at(-2)!, null)!
    const before = await noise([])
    for (const method of ['fast', 'careful'] as const) {
      const levels = []
      for (const strength of ['light', 'medium', 'strong'] as const)
        levels.push(await noise([{ kind: 'denoise', method, strength }]))
      expect(levels[0]!).toBeLessThan(before)
      expect(levels[2]!).toBeLessThan(before * 0.6)
      expect(levels[2]!).toBeLessThan(levels[0]!)
    }
    expect(await noise([{ kind: 'grain', strength: 'strong' }])).toBeGreaterThan(before * 1.15)
  })

  test('blocks become faint', async () => {
    const file = await draw(
      'blocky',
      "nullsrc=s=320x240:r=25:d=0.3,geq=lum='128+50*sin((X+3*N)/31)*cos(Y/23)+18*sin((X+Y)/9)':cb=128:cr=128,format=yuv420p",
      { encoder: 'mpeg4', options: { qmin: '16', qmax: '16' } },
    )
    const grid = async (steps: Step[]) => {
      const plane = (await treated(file, steps)).planes[4]!
      return Math.sqrt(columnGrid(plane).strength * rowGrid(plane).strength)
    }
    const before = await grid([])
    const strong = await grid([{ kind: 'deblock', strength: 'strong' }])
    expect(strong - 1).toBeLessThan((before - 1) * 0.6)
    expect(await grid([{ kind: 'deblock', strength: 'light' }])).toBeLessThan(before)
  })

  test('flicker is evened out', async () => {
    const file = await draw(
      'flicker',
      "nullsrc=s=160x120:r=25:d=1,geq=lum='110+X/4+12*mod(N,2)':cb=128:cr=128,format=yuv420p",
    )
    const swing = async (steps: Step[]) => {
      const means = (await treated(file, steps)).planes.slice(4, 20).map(plane => meanOf(plane))
      return Math.max(...means) - Math.min(...means)
    }
    expect(await swing([])).toBeCloseTo(12, 0)
    expect(await swing([{ kind: 'flicker', frames: 6 }])).toBeLessThan(3)
  })

  test('sharpening steepens edges, debanding adds shades', async () => {
    const soft = await draw('soft', `${detailed(2)},gblur=sigma=1.2`)
    const edges = async (steps: Step[]) => {
      const plane = (await treated(soft, steps)).planes[0]!
      let sum = 0
      for (let y = 0; y < plane.height; y++)
        for (let x = 1; x < plane.width; x++) sum += (valueAt(plane, x, y) - valueAt(plane, x - 1, y)) ** 2
      return sum
    }
    const plain = await edges([])
    const [light, strong] = [
      await edges([{ kind: 'sharpen', strength: 'light' }]),
      await edges([{ kind: 'sharpen', strength: 'strong' }]),
    ]
    expect(light).toBeGreaterThan(plain * 1.02)
    expect(strong).toBeGreaterThan(light)
    const banded = await draw(
      'banded',
      "nullsrc=s=320x120:r=25:d=0.1,geq=lum='60+3*floor(X/24)':cb=128:cr=128,format=yuv420p",
    )
    const shades = async (steps: Step[]) => new Set(samplesOf((await treated(banded, steps)).planes[0]!)).size
    expect(await shades([{ kind: 'deband', strength: 'strong' }])).toBeGreaterThan((await shades([])) * 1.5)
  })

  test('a mark is softened out of its region and nothing else is touched', async () => {
    const file = await draw(
      'marked',
      "nullsrc=s=320x240:r=25:d=0.1,geq=lum='if(between(X,200,239)*between(Y,40,59),235,80)':cb=128:cr=128,format=yuv420p",
    )
    const {
      planes: [plane],
    } = await treated(file, [{ kind: 'soften-mark', x: 196, y: 36, width: 48, height: 28 }])
    expect(meanOf(plane!, { x: 200, y: 40, width: 40, height: 20 })).toBeLessThan(85)
    expect(meanOf(plane!, { x: 0, y: 0, width: 190, height: 240 })).toBe(80)
  })
})

/** Likeness of two planes inside an edge, in dB. */
function psnr(a: Plane, b: Plane, edge = 8): number {
  let [sum, count] = [0, 0]
  for (let y = edge; y < a.height - edge; y++)
    for (let x = edge; x < a.width - edge; x++) {
      sum += (valueAt(a, x, y) - valueAt(b, x, y)) ** 2
      count++
    }
  return 10 * Math.log10(255 ** 2 / (sum / count + 1e-6))
}

describe('restoring', () => {
  /** Waves of every fineness and direction, and edges: nothing in it is a line of one pixel. */
  const waves =
    "nullsrc=s=320x240:r=25:d=0.08,geq=lum='120+40*sin(X*X/900)+35*sin((X+Y)/7)+gt(mod(X*0.7+Y*0.4,60),30)*20':cb=128:cr=128,format=yuv420p"

  test('a blur of known size is undone', async () => {
    const [truth] = (await treated(await draw('waves', waves), [])).planes
    const soft = await draw('blurred', `${waves},gblur=sigma=2`)
    const likeness = async (steps: Step[]) => psnr((await treated(soft, steps)).planes[0]!, truth!)
    const before = await likeness([])
    const levels = []
    for (const strength of ['light', 'medium', 'strong'] as const)
      levels.push(await likeness([{ kind: 'unblur', radius: 2, strength }]))
    expect(levels[0]! - before).toBeGreaterThan(4)
    expect(levels[1]!).toBeGreaterThan(levels[0]! + 0.5)
    // Eight rounds also make nine times as much of what rounding to whole codes left.
    expect(levels[2]! - before).toBeGreaterThan(4)
  })

  test('halos beside an edge go, the edge and fine lines away from it stay', async () => {
    const drawn =
      "nullsrc=s=320x240:r=25:d=0.08,geq=lum='if(lt(X,160),60,180)+if(between(X,60,61),40,0)':cb=128:cr=128,format=yuv420p,gblur=sigma=0.6"
    const rowOf = ({ planes: [plane] }: Shown) => Array.from({ length: 320 }, (_, x) => valueAt(plane!, x, 120))
    const clean = rowOf(await treated(await draw('edge', drawn), []))
    const ringed = await draw('ringed', `${drawn},unsharp=5:5:1.5:3:3:0`)
    const overshoot = (row: number[]) => Math.max(...row.slice(150, 170)) - 180
    const before = rowOf(await treated(ringed, []))
    const after = rowOf(await treated(ringed, [{ kind: 'dehalo', strength: 'medium' }]))
    expect(overshoot(before)).toBeGreaterThan(15)
    expect(overshoot(after)).toBeLessThan(overshoot(before) * 0.3)
    // The step from dark to bright lies where it lay, and is as steep.
    const slope = (row: number[]) => row[160]! - row[159]!
    expect(slope(after)).toBeGreaterThan(slope(clean) * 0.8)
    // The thin line is itself no halo: it keeps nine tenths of its height.
    const untouched = rowOf(await treated(await draw('edge-again', drawn), [{ kind: 'dehalo', strength: 'medium' }]))
    expect(Math.max(...untouched.slice(50, 70)) - 60).toBeGreaterThan((Math.max(...clean.slice(50, 70)) - 60) * 0.9)
  })

  test('stairs of lines that were doubled become smooth edges', async () => {
    // Slanted edges, smooth because each pixel is the mean of sixteen; the stairs come from every second line and column shown twice.
    const large =
      "nullsrc=s=1280x960:r=25:d=0.08,geq=lum='60+120*gt(mod(X*0.35+Y,400),200)':cb=128:cr=128,format=yuv420p"
    const [truth] = (await treated(await draw('slanted', `${large},scale=320:240:flags=area`), [])).planes
    const stairs = await draw('stairs', `${large},scale=320:120:flags=neighbor,scale=320:240:flags=neighbor`)
    const likeness = async (steps: Step[]) => psnr((await treated(stairs, steps)).planes[0]!, truth!)
    const before = await likeness([])
    expect((await likeness([{ kind: 'anti-alias', along: 'lines' }])) - before).toBeGreaterThan(2)
    expect((await likeness([{ kind: 'anti-alias', along: 'lines and columns' }])) - before).toBeGreaterThan(2)
  })

  test('dust that is in one frame only goes, what moves stays', async () => {
    const moving =
      "testsrc2=s=400x300:r=25:d=1,trim=end_frame=1,loop=loop=12:size=1,trim=end_frame=12,crop=w=320:h=240:x='3*n':y='2*n',format=yuv420p"
    const spots = [
      [3, 80, 60, 6],
      [5, 200, 150, 9],
      [8, 40, 200, 4],
    ] as const
    const dirty = `${moving},${spots.map(([n, x, y, size]) => `drawbox=x=${x}:y=${y}:w=${size}:h=${size}:color=white:t=fill:enable='eq(n,${n})'`).join(',')}`
    const clean = await treated(await draw('undusted', moving), [])
    const before = await treated(await draw('dusty', dirty), [])
    const after = await treated(await draw('dusty-again', dirty), [{ kind: 'dust', strength: 'medium' }])
    expect(after.planes).toHaveLength(12)
    for (const [n, x, y, size] of spots) {
      const error = ({ planes }: Shown) => {
        let sum = 0
        for (let row = y; row < y + size; row++)
          for (let column = x; column < x + size; column++)
            sum += Math.abs(valueAt(planes[n]!, column, row) - valueAt(clean.planes[n]!, column, row))
        return sum / size ** 2
      }
      expect([n, error(after) < error(before) * 0.25]).toEqual([n, true])
    }
    const kept = await treated(await draw('undusted-again', moving), [{ kind: 'dust', strength: 'medium' }])
    expect(Math.max(...kept.planes.map((plane, index) => meanChange(plane, clean.planes[index]!)))).toBeLessThan(0.15)
  })

  test('upright scratches are filled, edges of the picture are not', async () => {
    const picture = `${detailed(2)},gblur=sigma=0.7`
    const scratched = `${picture},drawbox=x=70:y=0:w=2:h=240:color=white:t=fill,drawbox=x=215:y=0:w=1:h=240:color=black:t=fill`
    const clean = await treated(await draw('unscratched', picture), [])
    const before = await treated(await draw('scratched', scratched), [])
    const after = await treated(await draw('scratched-again', scratched), [{ kind: 'scratches', strength: 'medium' }])
    expect(psnr(after.planes[0]!, clean.planes[0]!) - psnr(before.planes[0]!, clean.planes[0]!)).toBeGreaterThan(6)
    const kept = await treated(await draw('unscratched-again', picture), [{ kind: 'scratches', strength: 'medium' }])
    expect(meanChange(kept.planes[0]!, clean.planes[0]!)).toBe(0)
  })

  test.each([
    newStep('unblur'),
    newStep('dehalo'),
    newStep('anti-alias'),
    newStep('dust'),
    newStep('scratches'),
    { ...newStep('steady'), method: 'two readings' } as Step,
  ])('$kind works in ten bits and in red, green and blue without shifting the levels', async step => {
    const fine: PictureSpec = { ...plainSpec, video: { ...plainSpec.video, pixelFormat: 'yuv422p10le' } }
    for (const format of ['yuv422p10le', 'gbrp10le']) {
      const file = await draw(`fine-${step.kind}-${format}`, `testsrc2=s=320x240:r=25:d=0.2,format=${format}`)
      const mean = async (steps: Step[]) => {
        const {
          planes: [, , plane],
          treatment,
        } = await treated(file, steps, 0, fine)
        const values = new Uint16Array(plane!.data.buffer, 0, plane!.data.byteLength / 2)
        const { width, height } = treatment.result.frame
        const edge = width === 320 ? 24 : 0
        let sum = 0
        for (let y = edge; y < height - edge; y++)
          for (let x = edge; x < width - edge; x++) sum += values[y * (plane!.stride / 2) + x]!
        return sum / ((width - 2 * edge) * (height - 2 * edge))
      }
      const [before, after] = [await mean([]), await mean([step])]
      // A code of 8 bits is four here.
      expect([format, Math.abs(after - before) < 4]).toEqual([format, true])
    }
  })

  test('dust and scratches are repaired in ten bits, too', async () => {
    const moving =
      "testsrc2=s=320x240:r=25:d=0.2,format=yuv420p10le,drawbox=x=100:y=100:w=5:h=5:color=white:t=fill:enable='eq(n,2)'"
    const tenBits: PictureSpec = { ...plainSpec, video: { ...plainSpec.video, pixelFormat: 'yuv420p10le' } }
    const file = await draw('ten-bits', moving)
    const levels = async (steps: Step[]) => {
      const {
        planes: [, , plane],
      } = await treated(file, steps, 0, tenBits)
      const values = new Uint16Array(plane!.data.buffer, 0, plane!.data.byteLength / 2)
      return values[101 * (plane!.stride / 2) + 101]!
    }
    expect(await levels([])).toBeGreaterThan(900)
    expect(
      await levels([
        { kind: 'dust', strength: 'medium' },
        { kind: 'scratches', strength: 'light' },
      ]),
    ).toBeLessThan(900)
  })
})

describe('colour and marks', () => {
  test('a grade does what its matrix says', async () => {
    // Code 81 of limited range is 0.2968 of full scale.
    const file = await draw('grey', 'color=c=black:s=64x64:r=25:d=0.1,format=yuv420p,geq=lum=81:cb=128:cr=128')
    const luma = async (changes: object) =>
      meanOf((await treated(file, [{ ...newStep('grade'), ...changes } as Step])).planes[0]!)
    expect(await luma({})).toBeCloseTo(81, 0)
    // One stop is a factor of 2 ** (1 / 2.4) in code values.
    expect(gradeMatrix({ exposure: 1, saturation: 0, warmth: 0, tint: 0 })[0][0]).toBeCloseTo(1.3348, 3)
    expect(await luma({ exposure: 1 })).toBeCloseTo(16 + 65 * 1.3348, 0)
    // Contrast turns about the middle: 0.5 - (0.5 - 0.2968) * 1.5 = 0.1952.
    expect(await luma({ contrast: 50 })).toBeCloseTo(16 + 219 * 0.1952, 0)
    // Each colour is rounded by itself, so luma may be a code off.
    expect(Math.abs((await luma({ warmth: 60 })) - 81)).toBeLessThanOrEqual(1)
  })

  test('black and white leaves no colour, also after a grade', async () => {
    const file = await draw('colour', detailed(2))
    for (const steps of [[newStep('black-and-white')], [newStep('grade'), newStep('black-and-white')]]) {
      const {
        chroma: [plane],
      } = await treated(file, steps)
      expect(samplesOf(plane!).every(value => Math.abs(value - 128) <= 1)).toBe(true)
    }
  })

  /** Puts an asset where steps look for it, and names it. */
  async function asset(
    kind: 'lookup table' | 'picture',
    bytes: string | Buffer,
  ): Promise<{ sha256: string; name: string }> {
    process.env.HEMATINE_DATA_DIR = scratch
    const ref = { sha256: createHash('sha256').update(bytes).digest('hex'), name: 'test' }
    const step: Step =
      kind === 'picture'
        ? ({ ...newStep('picture-mark'), asset: ref } as Step)
        : ({ ...newStep('lookup-table'), asset: ref } as Step)
    await provideAssets({ steps: [{ kind: 'chosen', step, from: frame, to: frame, why: '' }] }, async () =>
      Buffer.from(bytes),
    )
    return ref
  }
  const frame = { width: 16, height: 16, pixelAspect: { num: 1, den: 1 } }
  /** A cube of two: each corner of the colour space by a rule. */
  const cube = (rule: (value: number) => number) =>
    `LUT_3D_SIZE 2\n${[0, 1].flatMap(b => [0, 1].flatMap(g => [0, 1].map(r => [r, g, b].map(rule).join(' ')))).join('\n')}\n`

  test('a lookup table does what its corners say, in part when told so', async () => {
    // Code 81 of limited range is 65 of 219; turned over it is 154 of 219, code 170.
    const file = await draw('for-a-table', 'color=c=black:s=64x64:r=25:d=0.1,format=yuv420p,geq=lum=81:cb=128:cr=128')
    const luma = async (table: { sha256: string; name: string }, strength = 100) =>
      meanOf((await treated(file, [{ kind: 'lookup-table', asset: table, strength }])).planes[0]!)
    const [same, over] = [
      await asset(
        'lookup table',
        cube(value => value),
      ),
      await asset(
        'lookup table',
        cube(value => 1 - value),
      ),
    ]
    expect(await luma(same)).toBeCloseTo(81, 0)
    expect(await luma(over)).toBeCloseTo(170, 0)
    expect(Math.abs((await luma(over, 50)) - (81 + 170) / 2)).toBeLessThanOrEqual(1)
    const curves = await asset('lookup table', 'LUT_1D_SIZE 2\n1 1 1\n0 0 0\n')
    expect(await luma(curves)).toBeCloseTo(170, 0)
  })

  test('a table that the library has not is named, and so is a step without one', async () => {
    const missing = { ...newStep('lookup-table'), asset: { sha256: 'ab'.repeat(32), name: 'Warm evening' } } as Step
    await expect(
      provideAssets({ steps: [{ kind: 'chosen', step: missing, from: frame, to: frame, why: '' }] }, async () => null),
    ).rejects.toThrow('The lookup table "Warm evening" is not in the library.')
    const file = await draw('no-table', 'color=c=gray:s=64x64:r=25:d=0.1,format=yuv420p')
    await expect(treated(file, [newStep('lookup-table')])).rejects.toThrow('Lookup table has no table yet.')
  })

  test.each(['yuv420p', 'bgr0'])(
    'a picture lies in its corner with its colour, its shape and its opacity (%s)',
    async format => {
      const png = await readMark(
        await sharp({
          create: { width: 40, height: 20, channels: 4, background: { r: 255, g: 255, b: 255, alpha: 1 } },
        })
          .png()
          .toBuffer(),
      )
      const mark = await asset('picture', png)
      // 4:3 shown from 360x240: pixels are 8:9 wide, so the mark of 48 lines is 108 pixels wide instead of 96.
      const file = await draw(`for-a-mark-${format}`, `color=c=black:s=360x240:r=25:d=0.1,setsar=8/9,format=${format}`)
      const {
        planes: [plane],
      } = await treated(file, [{ kind: 'picture-mark', asset: mark, corner: 'top left', size: 20, opacity: 50 }])
      // Half of white over black: 16 + 219 / 2.
      expect(Math.abs(valueAt(plane!, 60, 30) - 125.5)).toBeLessThan(2.5)
      const row = Array.from({ length: 360 }, (_, x) => valueAt(plane!, x, 30) > 70)
      expect(Math.abs(row.filter(Boolean).length - 108)).toBeLessThanOrEqual(2)
      expect(row.indexOf(true)).toBe(8)
      expect(valueAt(plane!, 180, 200)).toBe(16)
    },
  )

  test('a table is read with its domain wherever the file says it', async () => {
    // Up to twice full scale: code 81 of limited range is 0.2968 of full scale, which lies at half of that in the table.
    const file = await draw('for-a-domain', 'color=c=black:s=64x64:r=25:d=0.1,format=yuv420p,geq=lum=81:cb=128:cr=128')
    const table = await asset('lookup table', parseLookupTable('DOMAIN_MAX 2 2 2\nLUT_1D_SIZE 2\n0 0 0\n1 1 1\n').text)
    const {
      planes: [plane],
    } = await treated(file, [{ kind: 'lookup-table', asset: table, strength: 100 }])
    expect(Math.abs(meanOf(plane!) - (16 + 219 * 0.1484))).toBeLessThanOrEqual(1)
  })

  test('a picture that was kept once is kept to the byte; others become PNG; what is none, or cut short, is refused', async () => {
    const drawn = sharp({ create: { width: 40, height: 20, channels: 3, background: 'red' } })
    const kept = await readMark(await drawn.clone().jpeg().toBuffer())
    expect(await sharp(kept).metadata()).toMatchObject({ format: 'png', width: 40, height: 20, hasAlpha: true })
    expect(Buffer.compare(await readMark(kept), kept)).toBe(0)
    await expect(readMark(Buffer.from('no picture'))).rejects.toThrow('no picture that can be read')
    const noisy = await sharp(Buffer.from(Uint8Array.from({ length: 64 * 64 * 4 }, (_, at) => (at * 7919) % 251)), {
      raw: { width: 64, height: 64, channels: 4 },
    })
      .png()
      .toBuffer()
    await expect(readMark(noisy.subarray(0, noisy.length >> 1))).rejects.toThrow('no picture that can be read')
    await expect(
      readMark(
        await sharp({ create: { width: 4200, height: 10, channels: 4, background: 'red' } })
          .png()
          .toBuffer(),
      ),
    ).rejects.toThrow('at most 4096 pixels')
  })

  test.each([
    ['PQ', 573],
    ['HLG', 721],
  ] as const)('white of standard range lies where ITU-R BT.2408 puts it in %s', async (transfer, white) => {
    const file = await draw(
      `white-${transfer}`,
      "color=c=black:s=64x64:r=25:d=0.1,format=yuv420p,geq=lum='if(lt(X,32),235,16)':cb=128:cr=128,setparams=colorspace=bt709:color_primaries=bt709:color_trc=bt709:range=tv",
    )
    const tenBits: PictureSpec = { ...plainSpec, video: { ...plainSpec.video, pixelFormat: 'yuv420p10le' } }
    const {
      planes: [plane],
      treatment,
    } = await treated(file, [{ kind: 'high-range', transfer, white: 203 }], 0, tenBits)
    const codes = new Uint16Array(plane!.data.buffer, 0, plane!.data.byteLength / 2)
    // 58 % of PQ is code 64 + 876 * 0.5807, 75 % of HLG code 64 + 876 * 0.75.
    expect(Math.abs(codes[20 * (plane!.stride / 2) + 10]! - white)).toBeLessThanOrEqual(3)
    expect(codes[20 * (plane!.stride / 2) + 50]).toBe(64)
    expect(treatment.result.colour).toEqual({
      range: 'limited',
      primaries: 'bt2020',
      transfer: transfer === 'PQ' ? 'smpte2084' : 'arib-std-b67',
      matrix: 'bt2020nc',
    })
    await expect(treated(file, [{ kind: 'high-range', transfer, white: 203 }])).rejects.toThrow(
      'needs a spec of 10 bits or more',
    )
  })

  test('text stands in its corner, with quotes, colons and percent signs as they are', async () => {
    const file = await draw('ground', 'color=c=black:s=320x240:r=25:d=0.1,format=yuv420p')
    const {
      planes: [plane],
    } = await treated(file, [
      { kind: 'text-mark', text: 'Tape 7: "it\'s 50 %"', corner: 'bottom right', size: 10, opacity: 100 },
    ])
    expect(meanOf(plane!, { x: 160, y: 200, width: 160, height: 40 })).toBeGreaterThan(25)
    expect(meanOf(plane!, { x: 0, y: 0, width: 320, height: 120 })).toBeCloseTo(16, 0)
  })
})
