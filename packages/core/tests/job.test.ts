import { describe, expect, test } from 'vitest'
import {
  allowedActions,
  describeEvent,
  isSettled,
  JobEvent,
  JobState,
  nextState,
  progressOf,
  rational,
  type WorkSoFar,
} from '../src/index.ts'

describe('a job', () => {
  test('goes its way from draft to done', () => {
    const way = ['release', 'dispatch', 'start', 'place', 'finish'] as const
    expect(way.reduce<JobState>((state, event) => nextState(state, event)!, 'draft')).toBe('done')
  })

  test('that is done never changes again', () => {
    for (const event of JobEvent.options) expect(nextState('done', event)).toBeNull()
  })

  test('whose worker is lost waits again; one about to be placed stays so, for the file is finished', () => {
    expect(nextState('running', 'lose')).toBe('waiting')
    expect(nextState('queued', 'lose')).toBe('waiting')
    expect(nextState('placing', 'lose')).toBe('placing')
    expect(nextState('held', 'lose')).toBeNull()
  })

  test('cannot be cancelled or held while it is being placed', () => {
    expect(allowedActions('placing')).toEqual([])
  })

  test.each([
    ['draft', ['release', 'cancel']],
    ['waiting', ['hold', 'cancel']],
    ['running', ['hold', 'cancel']],
    ['held', ['resume', 'cancel']],
    ['failed', ['cancel', 'retry']],
    ['cancelled', ['retry']],
    ['done', []],
  ] as [JobState, JobEvent[]][])('%s allows %j', (state, actions) => {
    expect(allowedActions(state)).toEqual(actions)
  })

  test('only ends in states where nothing happens by itself', () => {
    expect(JobState.options.filter(isSettled)).toEqual(['draft', 'done', 'failed', 'cancelled'])
  })

  test('every event has its words', () => {
    for (const event of JobEvent.options) expect(describeEvent({ event, note: null }).length).toBeGreaterThan(3)
    expect(describeEvent({ event: 'fail', note: 'The disk is full.' })).toBe('failed. The disk is full.')
  })
})

describe('progress', () => {
  const work: WorkSoFar = {
    stage: 'encode',
    done: 300,
    total: 1200,
    rate: rational(25),
    stageSeconds: 60,
    encodeSeconds: null,
    bytesWritten: 5000,
    checkPerEncode: 0.2,
    aheadPerEncode: 0,
  }

  test('of a first pass counts the encode and the check that still follow, and that of an encode the pass that was', () => {
    // A quarter of a pass that takes 0.4 of an encode: 60 s of 240, so an encode is 600 s and the check 120.
    const first = progressOf({ ...work, stage: 'first pass', aheadPerEncode: 0.4 })
    expect(first.secondsLeft).toBeCloseTo(180 + 600 + 120, 9)
    expect(first.part).toBeCloseTo(0.1 / 1.6, 9)
    expect(progressOf({ ...work, aheadPerEncode: 0.4 }).part).toBeCloseTo(0.65 / 1.6, 9)
    const check = progressOf({ ...work, stage: 'check', encodeSeconds: 240, aheadPerEncode: 0.4 })
    expect(check.part).toBeCloseTo(1.45 / 1.6, 9)
  })

  test('of an encode counts the check that still follows', () => {
    const progress = progressOf(work)
    expect(progress.framesPerSecond).toBe(5)
    expect(progress.timesRealTime).toBe(0.2)
    // 240 s in all for the encode, 180 left of it, and 48 of checking.
    expect(progress.secondsLeft).toBeCloseTo(228, 9)
    expect(progress.part).toBeCloseTo(0.25 / 1.2, 9)
  })

  test('of a check goes on from there', () => {
    const progress = progressOf({ ...work, stage: 'check', done: 600, stageSeconds: 20, encodeSeconds: 240 })
    expect(progress.secondsLeft).toBeCloseTo(20, 9)
    expect(progress.part).toBeCloseTo(1.1 / 1.2, 9)
  })

  test('says nothing of the time left before enough is known', () => {
    expect(progressOf({ ...work, done: 10 }).secondsLeft).toBeNull()
    // The check's length is known from the encode's before its own speed is.
    expect(
      progressOf({ ...work, stage: 'check', done: 1, stageSeconds: 0.1, encodeSeconds: 240 }).secondsLeft,
    ).toBeCloseTo(48, 9)
  })

  test('never exceeds the whole, even when a source gives more frames than it promised', () => {
    expect(progressOf({ ...work, stage: 'check', done: 1300, encodeSeconds: 240 }).part).toBe(1)
  })
})
