import { describe, expect, test } from 'vitest'
import {
  asMeasured,
  builtInSpecs,
  deriveTreatment,
  describePrint,
  mistakesIn,
  pictureFileSpecs,
  type DeliverySpec,
  type Finding,
  type PictureSpec,
  type SourceFacts,
  type Step,
  type VideoFacts,
} from '../src/index.ts'
import { facts, spec } from './examples.ts'

const soft: Finding = {
  key: 'soft',
  kind: 'fault',
  says: 'Soft, or enlarged before: detail ends at 50 % of the width and 50 % of the height, as in a picture of about 360x288.',
  sure: 0.9,
  value: 50,
  unit: '% of the resolution',
  places: [],
  suggests: null,
} as unknown as Finding
const sd: Partial<VideoFacts> = { width: 720, height: 576, frameCount: 3000 }

function mistakes(source: SourceFacts, wanted: DeliverySpec, findings: Finding[] = [], steps: Step[] = []): string[] {
  const treatment = deriveTreatment(asMeasured(source, findings), wanted, steps)
  return mistakesIn({ spec: wanted, treatment, findings })
}

describe('what looks like a mistake', () => {
  test('enlarging a picture whose detail is not there', () => {
    const enlarging = spec('playback-box')
    expect(mistakes(facts(sd), enlarging, [soft])).toEqual([
      `${soft.says} Enlarged from 720x576 to 1350x1080, Playback box MP4 takes more bytes and shows no more: a spec that leaves smaller pictures small is enough.`,
    ])
    expect(mistakes(facts(sd), enlarging)).toEqual([])
    // What leaves it small is none, and what a person chose to enlarge with is theirs.
    expect(mistakes(facts(sd), spec('small-mp4'), [soft])).toEqual([])
    const learned: Step = { kind: 'learned', times: 2, network: 'clean', size: 'fast', strength: 100 }
    expect(mistakes(facts(sd), spec('small-mp4'), [soft], [learned])).toEqual([])
  })

  test('film with pulldown that is deinterlaced, and not when its pulldown is undone', () => {
    const pulldown = { ...soft, key: 'pulldown' } as Finding
    const tape = facts({
      width: 720,
      height: 480,
      frameRate: { num: 30_000, den: 1001 },
      scan: { kind: 'interlaced', firstField: 'top', framesRead: 13 },
    })
    expect(mistakes(tape, spec('playback-box'), [pulldown]).join()).toMatch(
      /film in video \(3:2 pulldown\)\. Deinterlaced to .* fps it moves unevenly/,
    )
    expect(mistakes(tape, spec('playback-box'), [pulldown], [{ kind: 'undo-pulldown' }])).toEqual([])
    expect(mistakes(tape, spec('playback-box'))).toEqual([])
  })

  test('a cap or a rate that leaves too few bits, as it was measured', () => {
    const box = spec('playback-box')
    const under = (rateControl: PictureSpec['video']['rateControl'], xpsnr: number | null) => {
      const wanted = { ...box, video: { ...box.video, rateControl } }
      return mistakesIn({
        spec: wanted,
        treatment: deriveTreatment(facts({ width: 1920, height: 1080 }), wanted),
        findings: [],
        forecast: { quality: { xpsnr, worstXpsnr: xpsnr, ssim: 0.9 } },
      })
    }
    const cap = { kind: 'size cap', bytes: 20_000_000 } as const
    expect(under(cap, 26.46)).toEqual([
      'A cap of 20.0 MB leaves this picture too few bits: in the stretches that were measured it keeps an XPSNR of 26.5 dB, and what stays below 30 dB should be looked at. A frame of 1280x720 has 2.3 times the bits for each pixel; a shorter item or more bytes help as well.',
    ])
    expect(under(cap, 30)).toEqual([])
    expect(under(cap, null)).toEqual([])
    const rate = { kind: 'average rate', bitsPerSecond: 300_000, peakBitsPerSecond: null, bufferBits: null } as const
    expect(under(rate, 20)[0]).toMatch(/^A rate of 300 kbit\/s leaves/)
    // A quality that is held was chosen as such.
    expect(under({ kind: 'constant quality', value: 38 }, 20)).toEqual([])
  })

  test('fields for a screen', () => {
    const tape = facts({ ...sd, scan: { kind: 'interlaced', firstField: 'top', framesRead: 13 } })
    const box = spec('playback-box')
    const asIs = {
      ...box.video,
      scan: 'as source' as const,
      frame: { ...box.video.frame, enlarge: false, squarePixels: false },
    }
    const kept: PictureSpec = { ...box, video: asIs }
    expect(mistakes(tape, kept)[0]).toMatch(/^Playback box MP4 keeps fields, and browsers, phones and projectors/)
    expect(mistakes(tape, box)).toEqual([])
    expect(mistakes(tape, spec('editing-master'))).toEqual([])
  })

  test('a high dynamic range in 8 bits', () => {
    const colour = { range: 'limited', primaries: 'bt2020', transfer: 'smpte2084', matrix: 'bt2020nc' } as const
    const bright = facts({ colour, pixelFormat: 'yuv420p10le', bitDepth: 10 })
    expect(mistakes(bright, spec('playback-box'))).toEqual([
      'The source has a high dynamic range, and 8 bits of Playback box MP4 show its shades as bands. Choose a spec of 10 bits.',
    ])
    expect(mistakes(bright, spec('small-mp4'))).toEqual([])
  })

  test('numbers that are longer than they are filled up to', () => {
    const frames = pictureFileSpecs.find(entry => entry.key === 'frames-exr')!
    expect(mistakes(facts({ frameCount: 9000 }), frames)).toEqual([
      'The last of 9,000 pictures has the number 10000, which is longer than 4 digits: programs that sort by name put it in the wrong place. Give the spec 5 digits.',
    ])
    expect(mistakes(facts({ frameCount: 8999 }), frames)).toEqual([])
  })

  test('no spec that ships is one for a plain source', () => {
    for (const entry of builtInSpecs.filter(({ container }) => !['png', 'tif', 'jpg'].includes(container)))
      expect(mistakes(facts(), entry)).toEqual([])
  })
})

test('a still on paper has the size that its dots come to', () => {
  // 2400 pixels at 300 to an inch are 8 inches of 2.54 cm.
  expect(describePrint({ width: 2400, height: 1800 }, 300)).toBe('20.3 x 15.2 cm at 300 dots per inch')
})
