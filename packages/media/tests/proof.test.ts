import { existsSync } from 'node:fs'
import path from 'node:path'
import { deriveTreatment, judge, newStep, pictureSpecs, type PictureSpec, type Step } from '@hematine/core'
import { beforeAll, describe, expect, test } from 'vitest'
import { measureResult, readFacts, setUpLibraries, transcode } from '../src/index.ts'
import { writeClip, type Clip } from '../../../tests/support/material.ts'
import { scratchDirectory } from '../../../tests/support/scratch.ts'

/** Faults put into a result by hand, each of which the check must find and name. */

const directory = scratchDirectory()
const gate = { turn: async () => undefined }
const named = (name: string) => path.join(directory, name)
const archive = pictureSpecs.find(spec => spec.key === 'archive-master')!
beforeAll(setUpLibraries)

/** Speech-like sound, a different one in each channel, and a picture that moves all the time. */
const voice = (delay = 0, left: number | string = 1, right: number | string = 1) =>
  `aevalsrc='${left}*0.3*sin(2*PI*(180+90*sin(1.7*(t-${delay})))*(t-${delay}))*gt(sin(2.9*(t-${delay})),-0.4)*gte(t,${delay})|${right}*0.3*sin(2*PI*(260+70*sin(2.3*(t-${delay})))*(t-${delay}))*gt(sin(3.7*(t-${delay})),-0.3)*gte(t,${delay})':s=48000:d=4,aformat=sample_fmts=s16:channel_layouts=stereo`
const picture = (more = '') =>
  `testsrc2=s=320x240:r=25,trim=end_frame=100,scroll=h=0.013:v=0.009,drawbox=x=0:y=0:w=120:h=60:t=fill:c=0xD08040,drawbox=x=220:y=150:w=60:h=70:t=fill:c=0x2040A0,${more}format=yuv420p,setsar=1`

async function clip(name: string, video: string, audio = voice()): Promise<string> {
  const file = named(name)
  if (existsSync(file)) return file
  const made: Clip = {
    path: file,
    format: 'matroska',
    video: { encoder: 'ffv1', options: { level: '3', slicecrc: '1' }, filters: video },
    audio: [{ encoder: 'flac', filters: audio }],
  }
  await writeClip(made)
  return file
}

/** The check of a file that is passed off as the result of a source. */
async function checked(source: string, result: string, spec: PictureSpec = archive, steps: readonly Step[] = []) {
  const facts = await readFacts({ kind: 'file', path: source })
  const treatment = deriveTreatment(facts, spec, steps)
  const measured = await measureResult(
    { input: { kind: 'file', path: source }, facts, treatment, spec, outputPath: result },
    gate,
    () => undefined,
  )
  const check = judge(measured, spec, treatment)
  return { check, line: (name: string) => check.lines.find(entry => entry.name === name), account: measured.account! }
}

describe('a result', () => {
  test('as it should be passes', async () => {
    const source = await clip('source.mkv', picture())
    const facts = await readFacts({ kind: 'file', path: source })
    const treatment = deriveTreatment(facts, archive)
    const outputPath = named('right.mkv')
    await transcode(
      { input: { kind: 'file', path: source }, facts, treatment, spec: archive, outputPath },
      gate,
      () => undefined,
    )
    const { check, account } = await checked(source, outputPath)
    expect(check.lines.filter(entry => entry.verdict !== 'pass')).toEqual([])
    expect(account.picture).toMatchObject({
      pictures: 100,
      expected: 100,
      found: 100,
      tolerance: 0,
      stuck: [],
      black: [],
      turned: null,
    })
    expect(account.sound).toMatchObject([{ late: 0, silent: [], turnedOver: [] }])
  })

  test('that lacks frames fails with their number', async () => {
    const { line } = await checked(
      await clip('source.mkv', picture()),
      await clip('short.mkv', picture('trim=end_frame=61,')),
    )
    expect(line('account of frames')).toMatchObject({
      verdict: 'fail',
      reason: '39 frames of the source are not in the result, and no step or rule dropped them.',
    })
  })

  test('that stands still where frames were lost fails, although their number is right', async () => {
    const { line } = await checked(
      await clip('source.mkv', picture()),
      await clip('stuck.mkv', picture("select='lt(n,40)+gte(n,70)',fps=25:start_time=0,tpad=stop=0,")),
    )
    expect(line('stands still, black')).toMatchObject({ verdict: 'fail' })
    expect(line('stands still, black')!.reason).toMatch(
      /^The result stands still where the source moves: 0:01\.\d-0:02\.\d\.$/,
    )
  })

  test('that is black for a while fails', async () => {
    const { line } = await checked(
      await clip('source.mkv', picture()),
      await clip('black.mkv', picture(`drawbox=t=fill:c=black:enable='between(t,1,2)',`)),
    )
    expect(line('stands still, black')!.reason).toMatch(
      /^The result is black where the source is not: 0:01\.0-0:02\.\d\.$/,
    )
  })

  test.each([
    ['hflip', 'mirrored left to right'],
    ['vflip', 'mirrored top to bottom'],
    ['hflip,vflip', 'turned by 180 degrees'],
  ])('that was put through %s fails', async (filter, words) => {
    const { line } = await checked(
      await clip('source.mkv', picture()),
      await clip(`${filter.replace(',', '')}.mkv`, picture(`${filter},`)),
    )
    expect(line('way up, likeness')).toMatchObject({
      verdict: 'fail',
      reason: `The picture does not stand as its source says: it is ${words}.`,
    })
  })

  test('that lost its colour fails', async () => {
    const { line } = await checked(
      await clip('source.mkv', picture()),
      await clip('grey.mkv', picture('lutyuv=u=128:v=128,')),
    )
    expect(line('colour')).toMatchObject({ verdict: 'fail' })
  })

  test('with new borders wants a look', async () => {
    const { line } = await checked(
      await clip('source.mkv', picture()),
      await clip('bordered.mkv', picture('scale=280:240,pad=320:240:20:0,')),
    )
    expect(line('borders')).toMatchObject({
      verdict: 'look',
      reason: 'The result has black at its left, right edge that the source has not.',
    })
  })

  test('whose fields are woven and that calls itself progressive wants a look', async () => {
    const woven = `testsrc2=s=320x480:r=50,trim=end_frame=200,scroll=h=0.02,tinterlace=mode=interleave_top,setfield=prog,format=yuv420p,setsar=1`
    const box = pictureSpecs.find(spec => spec.key === 'small-mkv')!
    const { line } = await checked(await clip('woven.mkv', woven), await clip('woven-out.mkv', woven), box)
    expect(line('whole frames')).toMatchObject({ verdict: 'look' })
    expect(line('whole frames')!.reason).toMatch(
      /^The result is tagged progressive, and \d+ % of its frames show two moments\. Deinterlace would make them whole\.$/,
    )
  })
})

describe("a result's sound", () => {
  const against = async (name: string, audio: string) =>
    checked(await clip('source.mkv', picture()), await clip(name, picture(), audio))

  test.each([
    [0.06, '60 ms late'],
    [0.1, '100 ms late'],
  ])('that is %d s late fails', async (delay, words) => {
    const { line } = await against(`late-${delay}.mkv`, voice(delay))
    expect(line('in step')).toMatchObject({ verdict: 'fail', found: words })
  })

  test('that is 20 ms late is within what nobody hears', async () => {
    expect((await against('near.mkv', voice(0.02))).line('in step')).toMatchObject({
      verdict: 'pass',
      found: '20 ms late',
    })
  })

  test('with a silent channel fails, and with one turned over', async () => {
    expect((await against('dead.mkv', voice(0, 1, 0))).line('channels')!.reason).toBe(
      'In the result channel 2 is silent, and no step asked for it.',
    )
    expect((await against('turned.mkv', voice(0, -1, 1))).line('channels')!.reason).toBe(
      'In the result channel 1 is turned over, and no step asked for it.',
    )
  })

  test('without a channel that sounds only in what is trimmed off passes; without one that sounds in the rest it fails', async () => {
    const trim = { ...newStep('trim'), ranges: [{ from: 2, to: 4 }] } as Step
    const early = await clip('early.mkv', picture(), voice(0, 1, 'lt(t,1.5)'))
    /** What a source's last two seconds become, held against a source. */
    const trimmed = async (made: string, against: string) => {
      const input = { kind: 'file', path: made } as const
      const facts = await readFacts(input)
      const outputPath = `${made}-${path.basename(against)}`
      const plan = { input, facts, treatment: deriveTreatment(facts, archive, [trim]), spec: archive, outputPath }
      await transcode(plan, gate, () => undefined)
      return (await checked(against, outputPath, archive, [trim])).line('channels')
    }
    expect(await trimmed(early, early)).toMatchObject({ verdict: 'pass' })
    expect(await trimmed(early, await clip('source.mkv', picture()))).toMatchObject({
      verdict: 'fail',
      found: 'channel 2 is silent',
    })
  })

  test('that ends too early fails with the seconds', async () => {
    const { line } = await against('cut.mkv', `${voice()},atrim=end=3.2`)
    expect(line('account of sound')).toMatchObject({
      verdict: 'fail',
      reason: "0.80 s of the source's sound are not in the result, and no step or rule cut them off.",
    })
  })
})
