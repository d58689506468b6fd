import { constants, setPriority } from 'node:os'
import {
  CheckMeasurement,
  CurveMeasurement,
  hasPicture,
  Measurement,
  SampleMeasurement,
  SourceFacts,
  TreatedLikeness,
  TrialMoment,
  type Moment,
  type WorkStage,
} from '@hematine/core'
import { knownOf } from '@hematine/media/volumes/source-input'
import { identityOf, flushToDisk } from '@hematine/media/volumes/volume-files'
import { mkdir, writeFile } from 'node:fs/promises'
import path from 'node:path'
import {
  compareTreated,
  deliver,
  DeviceProblem,
  extractSound,
  findDevices,
  lookFile,
  makeSegment,
  makeSound,
  measureCurve,
  measureSample,
  measureSoundResult,
  measureSoundSample,
  measureSource,
  MediaError,
  posterFrame,
  readFacts,
  runSoundTrialMoment,
  runTrialMoment,
  SeamProblem,
  setUpLibraries,
  stripFrames,
  trialLook,
  useDevices,
  WorkingFileProblem,
  type SoundTrialPlan,
} from '@hematine/media'
import { PausableGate, Stopped } from './gate.ts'
import type { Assignment, Instruction, Report } from './messages.ts'

/**
 * The process that does one task at a time. Media libraries live here only: a crash, a runaway or a cancel ends this process and nothing else.
 * It ends itself when its worker is gone.
 */

const gate = new PausableGate()
/** Least time between two progress reports. */
const reportEveryMilliseconds = 250
/** Most measurements are over before; of a long one it is told so often how far it is. */
const tellMeasuringMilliseconds = 1000

/** What is kept of a report is held against its schema before it is sent: what cannot be read again is never written. */
const kept = {
  facts: SourceFacts,
  measured: Measurement,
  moment: TrialMoment,
  sample: SampleMeasurement,
  curve: CurveMeasurement,
  compared: TreatedLikeness,
  job: CheckMeasurement,
} as const

function report(message: Report): Promise<void> {
  const schema = message.say in kept ? kept[message.say as keyof typeof kept] : null
  const value =
    message.say === 'facts'
      ? message.facts
      : message.say === 'moment'
        ? message.result
        : 'measurement' in message
          ? message.measurement
          : null
  const wrong = schema?.safeParse(value).error?.issues[0]
  if (wrong)
    throw new MediaError(
      `What was read of it makes no sense (${wrong.path.join('.')}: ${wrong.message}), so it cannot be kept. The file is probably damaged there.`,
    )
  return new Promise(resolve => process.send!(message, undefined, undefined, () => resolve()))
}

function throttled(send: () => void, milliseconds = reportEveryMilliseconds): () => void {
  let last = Date.now() - milliseconds
  return () => {
    const now = Date.now()
    if (now - last < milliseconds) return
    last = now
    send()
  }
}

async function doDevices(): Promise<void> {
  await report({ say: 'devices', found: await findDevices() })
}

async function doFacts(assignment: Extract<Assignment, { kind: 'facts' }>): Promise<void> {
  const { input } = assignment
  const identity = await identityOf(input)
  await report({ say: 'facts', facts: await readFacts(input), identity })
}

async function doPoster({ input, facts }: Extract<Assignment, { kind: 'poster' }>): Promise<void> {
  await report({ say: 'poster', poster: await posterFrame(input, facts.video!, facts.durationSeconds) })
}

/** Says how far a measurement is while it is made. */
function tellingPart(): (part: number) => void {
  let part = 0
  const tell = throttled(() => void report({ say: 'measuring', part }), tellMeasuringMilliseconds)
  return now => {
    part = now
    tell()
  }
}

async function doMeasure({
  input,
  facts: known,
  depth,
  through,
}: Extract<Assignment, { kind: 'measure' }>): Promise<void> {
  const { measurement, facts } = await measureSource(input, known, depth, gate, tellingPart(), through)
  const strip = facts.video
    ? await stripFrames(
        input.kind === 'file' ? { ...input, ...knownOf(facts) } : input,
        facts.video,
        facts.durationSeconds,
        gate,
      )
    : []
  await report({ say: 'measured', measurement, facts, strip })
}

async function doSample(assignment: Extract<Assignment, { kind: 'sample' }>): Promise<void> {
  const begin = { at: performance.now(), used: process.cpuUsage() }
  const measurement = hasPicture(assignment)
    ? await measureSample(assignment, gate, () => undefined)
    : await measureSoundSample(assignment, gate)
  const { user, system } = process.cpuUsage(begin.used)
  // Both in microseconds. The clock of the processor is coarser than that of the wall.
  const busyCores = Math.max(0.01, (user + system) / ((performance.now() - begin.at) * 1000))
  await report({ say: 'sample', measurement: { ...measurement, busyCores } })
}

async function doCurve(assignment: Extract<Assignment, { kind: 'curve' }>): Promise<void> {
  await report({ say: 'curve', measurement: await measureCurve(assignment, gate, tellingPart()) })
}

async function doCompare({ of, reference }: Extract<Assignment, { kind: 'compare' }>): Promise<void> {
  await report({ say: 'compared', measurement: await compareTreated(of, reference, gate, tellingPart()) })
}

/** First a picture of each moment, so that there is soon something to look at; then the moments whole. */
async function doTrial(assignment: Extract<Assignment, { kind: 'trial' }>): Promise<void> {
  await mkdir(assignment.directory, { recursive: true })
  if (!hasPicture(assignment)) return doSoundTrial(assignment)
  const { moments, skip, ...plan } = assignment
  for (const [index, moment] of moments.entries()) {
    if (!skip.includes(index))
      await writeFile(path.join(plan.directory, lookFile(index)), await trialLook({ ...plan, moment }))
    await gate.turn()
    await report({ say: 'look', looks: index + 1 })
  }
  for (const [index, moment] of moments.entries())
    if (!skip.includes(index))
      await report({ say: 'moment', index, result: await runTrialMoment({ ...plan, moment, index }, gate) })
  await report({ say: 'tried' })
}

/** Sound is treated so fast that its picture comes with the moment. */
async function doSoundTrial({
  moments,
  skip,
  ...plan
}: Omit<SoundTrialPlan, 'moment' | 'index'> & { moments: readonly Moment[]; skip: readonly number[] }): Promise<void> {
  for (const [index, moment] of moments.entries()) {
    if (skip.includes(index)) continue
    const result = await runSoundTrialMoment({ ...plan, moment, index }, gate)
    await report({ say: 'look', looks: index + 1 })
    await report({ say: 'moment', index, result })
  }
  await report({ say: 'tried' })
}

/** Says how far a unit is while it is made. */
function unitProgress(): (soFar: { done: number; bytesWritten: number }) => void {
  let now = { done: 0, bytesWritten: 0 }
  const tell = throttled(
    () =>
      void report({ say: 'progress', stage: 'encode', ...now, stageSeconds: gate.workedSeconds, encodeSeconds: null }),
  )
  return soFar => {
    now = soFar
    tell()
  }
}

async function doSegment(assignment: Extract<Assignment, { kind: 'segment' }>): Promise<void> {
  const tell = unitProgress()
  const { frames } = await makeSegment(assignment, gate, ({ framesDone, bytesWritten }) =>
    tell({ done: framesDone, bytesWritten }),
  )
  await report({ say: 'unit', frames, workSeconds: gate.workedSeconds })
}

/** Sound is as far as the frames that it is heard with. */
async function doSound(assignment: Extract<Assignment, { kind: 'sound' }>): Promise<void> {
  const tell = unitProgress()
  const { frameCount } = assignment.treatment.result
  await makeSound(assignment, gate, part => tell({ done: Math.floor(part * frameCount), bytesWritten: 0 }))
  await report({ say: 'unit', frames: frameCount, workSeconds: gate.workedSeconds })
}

async function doJob(assignment: Extract<Assignment, { kind: 'job' }>): Promise<void> {
  let stage: WorkStage = assignment.made ? 'join' : 'encode'
  let stageBegin = gate.workedSeconds
  let encodeSeconds: number | null = null
  const now = { done: 0, bytesWritten: 0 }
  const tellNow = () =>
    void report({ say: 'progress', stage, ...now, stageSeconds: gate.workedSeconds - stageBegin, encodeSeconds })
  const tell = throttled(tellNow)
  const tellDone = (next: WorkStage, done: number, bytesWritten = now.bytesWritten) => {
    // What is made once more begins anew; a check counts its frames more than once.
    if (next !== stage || (done < now.done && stage !== 'check')) {
      encodeSeconds = next === 'check' ? gate.workedSeconds - stageBegin : null
      stage = next
      stageBegin = gate.workedSeconds
      Object.assign(now, { done, bytesWritten })
      return tellNow()
    }
    Object.assign(now, { done, bytesWritten })
    tell()
  }
  const milliseconds = (seconds: number) => Math.round(seconds * 1000)

  let measurement: CheckMeasurement
  if (hasPicture(assignment)) {
    measurement = await deliver(assignment, gate, progress =>
      tellDone(
        assignment.made && progress.stage === 'encode' ? 'join' : progress.stage,
        progress.framesDone,
        progress.bytesWritten,
      ),
    )
  } else {
    await extractSound(assignment, gate, ({ seconds, bytesWritten }) =>
      tellDone('encode', milliseconds(seconds), bytesWritten),
    )
    await flushToDisk(assignment.outputPath)
    tellDone('check', 0)
    measurement = await measureSoundResult(assignment, gate, seconds => tellDone('check', milliseconds(seconds)))
  }
  await report({ say: 'job', measurement, workSeconds: gate.workedSeconds })
}

async function work(assignment: Assignment): Promise<void> {
  gate.start()
  const given = 'onDevice' in assignment ? assignment.onDevice : null
  useDevices(given ? [given.device] : [], given?.standInDirectory ?? null)
  try {
    if (assignment.kind === 'devices') await doDevices()
    else if (assignment.kind === 'facts') await doFacts(assignment)
    else if (assignment.kind === 'poster') await doPoster(assignment)
    else if (assignment.kind === 'measure') await doMeasure(assignment)
    else if (assignment.kind === 'sample') await doSample(assignment)
    else if (assignment.kind === 'curve') await doCurve(assignment)
    else if (assignment.kind === 'compare') await doCompare(assignment)
    else if (assignment.kind === 'trial') await doTrial(assignment)
    else if (assignment.kind === 'segment') await doSegment(assignment)
    else if (assignment.kind === 'sound') await doSound(assignment)
    else await doJob(assignment)
  } catch (error) {
    if (error instanceof Stopped) await report({ say: 'stopped' })
    else
      await report({
        say: 'failed',
        reason: sentenceFor(error),
        isAway: isAway(error),
        ...problemOf(error),
      })
  }
}

function isDiskFull(error: unknown): boolean {
  return (error instanceof MediaError && error.isDiskFull) || (error as NodeJS.ErrnoException).code === 'ENOSPC'
}

function problemOf(error: unknown): Pick<Extract<Report, { say: 'failed' }>, 'problem' | 'device'> {
  if (error instanceof DeviceProblem) return { device: error.device }
  if (error instanceof SeamProblem) return { problem: 'seam' }
  return error instanceof WorkingFileProblem ? { problem: 'working file' } : {}
}

function isAway(error: unknown): boolean {
  return error instanceof MediaError
    ? error.isAway
    : ['ENOENT', 'EIO'].includes((error as NodeJS.ErrnoException).code ?? '')
}

function sentenceFor(error: unknown): string {
  if (isDiskFull(error)) return 'The disk is full. Free some space or choose another delivery volume, then try again.'
  if (error instanceof MediaError) return error.message
  const { code, message } = error as NodeJS.ErrnoException
  if (code === 'ENOENT') return 'A file of the source is not there any more. Put it back and read the source again.'
  if (code === 'EACCES' || code === 'EPERM')
    return 'A file may not be read or written by the user that the worker runs as.'
  return `The work failed in a way that Hematine does not know: ${message}`
}

// The encoders take all cores; the web server, the database and whatever else the machine does go first.
setPriority(constants.priority.PRIORITY_BELOW_NORMAL)
setUpLibraries()
process.on('message', (instruction: Instruction) => {
  switch (instruction.say) {
    case 'assign':
      return void work(instruction.assignment)
    case 'pause':
      return gate.pause()
    case 'go on':
      return gate.goOn()
    case 'stop':
      return gate.stop()
    case 'leave':
      return process.exit(0)
  }
})
process.on('disconnect', () => process.exit(1))
// Ctrl-C reaches the whole group of processes; the worker decides what becomes of its children.
process.on('SIGINT', () => undefined)
