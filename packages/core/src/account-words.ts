import type { Account, PictureAccount, SoundAccount } from './account.ts'
import { describeClock } from './format.ts'
import type { Glances } from './glance.ts'
import type { PictureTreatment, Treatment } from './treatment/treatment.ts'

/** A line of a check, before it is given its shape. */
export interface AccountLine {
  name: string
  expected: string
  found: string
  verdict: 'pass' | 'look' | 'fail'
  reason: string
}

const listed = (parts: readonly { by: string; count: number }[], word: string) =>
  parts.map(({ by, count }) => `${count} ${word} by ${by}`)

/** "1037 pictures, 695 repeated by repeats of the source". */
export function describePictures({ pictures, isPart, dropped, repeated, made }: PictureAccount): string {
  return [
    `${pictures} ${pictures === 1 ? 'picture' : 'pictures'}${isPart ? ' in and around it' : ''}`,
    ...listed(dropped, 'dropped'),
    ...listed(repeated, 'repeated'),
    ...listed(made, 'made'),
  ].join(', ')
}

/** "12.40 s heard, 0.50 s of it before the picture". */
export function describeSound({ seconds, isPart, cutBefore, trimmed, silence }: SoundAccount): string {
  const some = (value: number, words: string) => (value >= 0.01 ? [`${value.toFixed(2)} s ${words}`] : [])
  return [
    `${seconds.toFixed(2)} s heard${isPart ? ' in and around it' : ''}`,
    ...some(cutBefore, 'cut off before the picture'),
    ...some(trimmed, 'trimmed off'),
    ...some(silence, 'of silence put in'),
  ].join(', ')
}

const places = (stretches: readonly { from: number; to: number }[]) =>
  stretches
    .slice(0, 3)
    .map(({ from, to }) => `${describeClock(from)}-${describeClock(to)}`)
    .join(', ')

/** Likeness below which a result hardly looks like its source. */
const leastLikeness = 0.5
/** Ends of coded sound are rounded to packets, of picture to frames; what is longer apart was lost, in seconds. */
const soundTolerance = 0.1
/** Sound out of step by more than this is heard, in seconds. */
const stepTolerance = 0.04

/** What the account says of a result's picture. */
export function pictureLines(account: PictureAccount): AccountLine[] {
  const { expected, found, tolerance, stuck, black, likeness, turned } = account
  const off = found - expected
  const lines: AccountLine[] = [
    {
      name: 'account of frames',
      expected: `${expected}${tolerance > 0 ? ` (within ${tolerance})` : ''}: ${describePictures(account)}`,
      found: `${found}`,
      verdict: Math.abs(off) <= tolerance ? 'pass' : 'fail',
      reason:
        off < 0
          ? `${-off} frames of the source are not in the result, and no step or rule dropped them.`
          : `The result has ${off} frames more than the source and its steps account for.`,
    },
  ]
  const stands = [...stuck, ...black].sort((a, b) => a.from - b.from)
  lines.push({
    name: 'stands still, black',
    expected: 'only where the source does',
    found: stands.length === 0 ? 'only there' : places(stands),
    verdict: stands.length === 0 ? 'pass' : 'fail',
    reason: `The result ${stuck.length > 0 ? 'stands still' : 'is black'} where the source ${stuck.length > 0 ? 'moves' : 'is not'}: ${places(stands)}.`,
  })
  if (likeness !== null) {
    lines.push({
      name: 'way up, likeness',
      expected: 'as the source',
      found: turned ? `as ${turned}` : `alike by ${likeness.toFixed(2)} of 1`,
      verdict: turned ? 'fail' : likeness < leastLikeness ? 'look' : 'pass',
      reason: turned
        ? `The picture does not stand as its source says: it is ${turned}.`
        : 'The result hardly looks like its source; look at both.',
    })
  }
  return lines
}

/** What the account says of one sound track. @param of what stands after "sound" in the names */
export function soundLines(account: SoundAccount, of: string): AccountLine[] {
  const { expectedEnd, foundEnd, late, silent, turnedOver } = account
  const off = foundEnd - expectedEnd
  const lines: AccountLine[] = [
    {
      name: `account of sound${of}`,
      expected: `ends at ${expectedEnd.toFixed(2)} s: ${describeSound(account)}`,
      found: `ends at ${foundEnd.toFixed(2)} s`,
      verdict: Math.abs(off) <= soundTolerance ? 'pass' : 'fail',
      reason:
        off < 0
          ? `${(-off).toFixed(2)} s of the source's sound are not in the result, and no step or rule cut them off.`
          : `The result's sound is ${off.toFixed(2)} s longer than the source's and its steps account for.`,
    },
  ]
  if (late !== null) {
    lines.push({
      name: `in step${of}`,
      expected: `within ${stepTolerance * 1000} ms`,
      found:
        Math.abs(late) < 0.0015 ? 'in step' : `${Math.abs(late * 1000).toFixed(0)} ms ${late > 0 ? 'late' : 'early'}`,
      verdict: Math.abs(late) <= stepTolerance ? 'pass' : 'fail',
      reason: `The sound is ${Math.abs(late * 1000).toFixed(0)} ms ${late > 0 ? 'later' : 'earlier'} against the picture than in the source.`,
    })
  }
  const channel = (index: number) => `channel ${index + 1}`
  const wrong = [
    ...silent.map(index => `${channel(index)} is silent`),
    ...turnedOver.map(index => `${channel(index)} is turned over`),
  ]
  lines.push({
    name: `channels${of}`,
    expected: 'as the source',
    found: wrong.length === 0 ? 'as the source' : wrong.join(', '),
    verdict: wrong.length === 0 ? 'pass' : 'fail',
    reason: `In the result ${wrong.join(' and ')}, and no step asked for it.`,
  })
  return lines
}

/** Combing from which a progressive picture is not one, as a part of the frames judged, and how many must be judged. */
const combing = { part: 0.3, judged: 12 }
/** Growth of black edges, of levels out of range, and loss of colour that are seen. */
const borderGrowth = 0.012
const illegalGrowth = 0.05
const colour = { source: 15, result: 3 }

/** What the result shows by itself, beside its source. */
export function glanceLines({ source, result }: Glances, treatment: PictureTreatment): AccountLine[] {
  const kinds = new Set<string>(treatment.steps.map(step => (step.kind === 'chosen' ? step.step.kind : step.kind)))
  const lines: AccountLine[] = []
  if (treatment.result.scan === 'progressive') {
    const isCombed = result.judged >= combing.judged && result.combed >= combing.part
    lines.push({
      name: 'whole frames',
      expected: 'each of one moment',
      found: `${Math.round(result.combed * 100)} % of ${result.judged} frames combed`,
      verdict: isCombed ? 'look' : 'pass',
      reason: `The result is tagged progressive, and ${Math.round(result.combed * 100)} % of its frames show two moments. ${kinds.has('deinterlace') ? 'Look at it, and at the order of its fields.' : 'Deinterlace would make them whole.'}`,
    })
  }
  if (source.borders && result.borders) {
    const grown = ['left', 'top', 'right', 'bottom'].filter(
      (_, side) => result.borders![side]! - source.borders![side]! > borderGrowth,
    )
    lines.push({
      name: 'borders',
      expected: 'none that the source has not',
      found: grown.length === 0 ? 'none' : grown.join(', '),
      verdict: grown.length === 0 ? 'pass' : 'look',
      reason: `The result has black at its ${grown.join(', ')} edge that the source has not.`,
    })
  }
  if (!kinds.has('black-and-white') && source.saturation > colour.source && result.saturation < colour.result) {
    lines.push({
      name: 'colour',
      expected: 'as the source',
      found: 'none',
      verdict: 'fail',
      reason: 'The result is black and white, and the source is not.',
    })
  }
  if (result.illegal - source.illegal > illegalGrowth) {
    lines.push({
      name: 'levels',
      expected: 'as the source',
      found: `${(result.illegal * 100).toFixed(0)} % out of range`,
      verdict: 'look',
      reason: `${(result.illegal * 100).toFixed(0)} % of the result lies outside the levels of its range; of the source it is ${(source.illegal * 100).toFixed(0)} %.`,
    })
  }
  return lines
}

/** All lines of an account. */
export function accountLines(account: Account, treatment: Treatment, glances: Glances | undefined): AccountLine[] {
  return [
    ...(account.picture ? pictureLines(account.picture) : []),
    ...(treatment.result !== null && glances ? glanceLines(glances, treatment) : []),
    ...account.sound.flatMap((track, index) => soundLines(track, account.sound.length > 1 ? ` ${index + 1}` : '')),
  ]
}
