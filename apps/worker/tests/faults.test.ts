import { createHash } from 'node:crypto'
import { existsSync } from 'node:fs'
import { mkdir, readdir, readFile, rename, rm, stat, symlink, writeFile } from 'node:fs/promises'
import path from 'node:path'
import { anyTime, pictureSpecs, type JobState } from '@hematine/core'
import { actOnJobs, changeHours, draftJobs, keepSpec, listJobs, readJob, readVolume } from '@hematine/database'
import { readFacts } from '@hematine/media'
import { afterAll, afterEach, beforeAll, beforeEach, describe, expect, test } from 'vitest'
import { closedNow, inSeconds } from '../../../tests/support/closed-hours.ts'
import { useDatabase } from '../../../tests/support/database.ts'
import { writeCountingClip } from '../../../tests/support/material.ts'
import { patience } from '../../../tests/support/patience.ts'
import { KnownTape, newRound, untilState } from '../../../tests/support/rounds.ts'
import { scratchDirectory } from '../../../tests/support/scratch.ts'
import { jobsHeld, TestWorker, useBuiltWorker } from '../../../tests/support/worker.ts'

/** Real workers on real media, with processes killed at every stage of a job. */

const db = useDatabase({ own: true })
useBuiltWorker()
const scratch = scratchDirectory()
const tape = path.join(scratch, 'tape.mkv')
let known: KnownTape
let round = 0
let volumes: { source: string; delivery: string }
let orderId: number
let sourceId: number
let deliveryId: number
const workers: TestWorker[] = []
let watching = false

beforeAll(async () => {
  await writeCountingClip(tape, 100, { size: '160x120', tone: true })
  known = await KnownTape.read(tape)
})
// Every test has an order, volumes and a source of its own; a worker that a test leaves alive does the next one's work.
beforeEach(async () => {
  ;({ volumes, orderId, sourceId, deliveryId } = await newRound(db, scratch, ['F', ++round], known))
})
afterEach(() => {
  watching = false
  jobsHeld.letGo()
})
afterAll(() => Promise.all(workers.map(worker => worker.end('SIGKILL'))))

/** The one worker that there is, started when there is none. */
function aWorker(): TestWorker {
  const living = workers.find(worker => worker.lives)
  return living ?? startWorker()
}

function startWorker(settings: Record<string, string> = {}): TestWorker {
  const worker = new TestWorker(db.url, path.join(scratch, 'data'), `worker ${workers.length + 1}`, {
    // Every job is one process here, also on a machine so slow that it would be forecast to be long.
    HEMATINE_SEGMENT_SECONDS: '300',
    ...settings,
  })
  workers.push(worker)
  return worker
}

const sourceSum = async () =>
  createHash('sha256')
    .update(await readFile(path.join(volumes.source, 'tape.mkv')))
    .digest('hex')
const visible = async () => (await readdir(volumes.delivery)).filter(name => !name.startsWith('.'))
const workDirectory = async () =>
  path.join(volumes.delivery, '.hematine', (await readVolume(db.em(), deliveryId)).marker)
const hidden = async () => (existsSync(await workDirectory()) ? readdir(await workDirectory()) : [])

/** Drafts and releases a job of the source, whose forecast is known. */
async function release(specKey = 'archive-master'): Promise<number> {
  const id = await known.draft(db, { sourceId, deliveryId }, specKey)
  await actOnJobs(db.em(), [id], 'release')
  return id
}

const stateOf = async (id: number): Promise<JobState> => (await listJobs(db.em(), { ids: [id] }))[0]!.state
const until = (id: number, state: JobState) => untilState(db, id, state)
const progressOf = async (id: number) => (await listJobs(db.em(), { ids: [id] }))[0]!.progress
/** Releases a job that waits in the midst of a stage until it is let go. */
async function releaseHeld(stage: 'encode' | 'check', specKey?: string): Promise<number> {
  jobsHeld.at(stage, 10)
  const id = await release(specKey)
  await expect.poll(async () => (await progressOf(id))?.stage, patience).toBe(stage)
  return id
}

/** What must hold after every fault: one whole checked result, nothing left over, the source as it was. */
async function expectDoneOnce(id: number, before: string, names = ['tape-archive.mkv']): Promise<void> {
  await until(id, 'done')
  const job = await readJob(db.em(), id)
  expect((await visible()).sort()).toEqual(names)
  expect(job.events.filter(event => event.event === 'finish')).toHaveLength(1)
  const content = await readFile(path.join(volumes.delivery, job.outputPath!))
  expect(createHash('sha256').update(content).digest('hex')).toBe(job.check!.measurement.sha256)
  expect(job.check!.measurement.video!.framesDecoded).toBe(100)
  expect(
    (await readFacts({ kind: 'file', path: path.join(volumes.delivery, job.outputPath!) })).video!.frameCount,
  ).toBeGreaterThanOrEqual(100)
  await expect.poll(hidden, patience).toEqual([])
  expect(await sourceSum()).toBe(before)
}

/** Looks at the delivery volume all the time: a visible file must be whole from its first moment on. */
function watchDelivery() {
  const seen = new Map<string, Set<string>>()
  watching = true
  const done = (async () => {
    while (watching) {
      for (const name of await visible()) {
        const sum = createHash('sha256')
          .update(await readFile(path.join(volumes.delivery, name)))
          .digest('hex')
        seen.set(name, (seen.get(name) ?? new Set()).add(sum))
      }
      await new Promise(resolve => setTimeout(resolve, 5))
    }
  })()
  return async () => {
    watching = false
    await done
    for (const [name, sums] of seen) expect(sums.size, `${name} changed while visible`).toBe(1)
  }
}

describe('kill -9 of the process that does the work', () => {
  test.each(['encode', 'check'] as const)('during the %s: the job is begun again and done once', async stage => {
    const before = await sourceSum()
    const worker = aWorker()
    const endWatch = watchDelivery()
    const id = await releaseHeld(stage)
    for (const pid of worker.taskProcesses) process.kill(pid, 'SIGKILL')
    jobsHeld.letGo()
    await expectDoneOnce(id, before)
    await endWatch()
    expect(
      (await readJob(db.em(), id)).events.some(event => event.event === 'lose' && event.note!.includes('SIGKILL')),
    ).toBe(true)
  })
})

describe('a process that does nothing', () => {
  test('for a minute, as where a library waits for itself, is ended; the job is begun again and done once', async () => {
    const before = await sourceSum()
    const worker = aWorker()
    const id = await releaseHeld('encode')
    for (const pid of worker.taskProcesses) process.kill(pid, 'SIGSTOP')
    jobsHeld.letGo()
    await expectDoneOnce(id, before)
    const { attempt, events } = await readJob(db.em(), id)
    expect(attempt).toBe(2)
    expect(events.find(event => event.event === 'lose')?.note).toBe('its process did nothing for a minute')
  })
})

describe('a process that stands ready for the next job', () => {
  test('is not given it when it was killed meanwhile, and what it waited is no work', async () => {
    await Promise.all(workers.map(worker => worker.end()))
    const worker = startWorker({ HEMATINE_READY: '1' })
    await until(await release(), 'done')
    await expect.poll(() => worker.taskProcesses.length, patience).toBeGreaterThan(0)
    for (const pid of worker.taskProcesses) process.kill(pid, 'SIGKILL')
    const second = await release('editing-master')
    await until(second, 'done')
    const { attempt, events } = await readJob(db.em(), second)
    expect([attempt, events.map(event => event.event)]).toEqual([1, expect.not.arrayContaining(['lose'])])
    // The third is done by one that has waited a while: that is not counted as work.
    await new Promise(resolve => setTimeout(resolve, 4000))
    const third = await release('sound-wav')
    await until(third, 'done')
    const { startedAt, finishedAt, workSeconds } = await readJob(db.em(), third)
    expect(workSeconds! * 1000).toBeLessThan(Date.parse(finishedAt!) - Date.parse(startedAt!))
    await worker.end()
  })
})

describe('kill -9 of the worker', () => {
  test.each(['encode', 'check'] as const)(
    'during the %s: its process ends with it, and the next worker does the job once',
    async stage => {
      const before = await sourceSum()
      const first = aWorker()
      const endWatch = watchDelivery()
      const id = await releaseHeld(stage)
      const orphans = first.taskProcesses
      expect(orphans.length).toBeGreaterThan(0)
      await first.end('SIGKILL')
      jobsHeld.letGo()
      startWorker()
      await expectDoneOnce(id, before)
      await endWatch()
      for (const pid of orphans) expect(existsSync(`/proc/${pid}/exe`), `process ${pid} should be gone`).toBe(false)
    },
  )

  test('again and again, at moments of chance, still gives one result', async () => {
    const before = await sourceSum()
    const endWatch = watchDelivery()
    let worker = aWorker()
    const id = await release()
    // Delays from a fixed series, so that a failure can be repeated.
    for (const delay of [350, 1100, 180, 700, 1500]) {
      await new Promise(resolve => setTimeout(resolve, delay))
      await worker.end('SIGKILL')
      worker = startWorker()
    }
    await expectDoneOnce(id, before)
    await endWatch()
  })
})

test('a job of sound alone is forecast, done and checked like any other', async () => {
  const before = await sourceSum()
  aWorker()
  const id = await release('sound-flac')
  await until(id, 'done')
  const job = await readJob(db.em(), id)
  expect(await visible()).toEqual(['tape-sound.flac'])
  // The file's times are whole milliseconds, so its length is known to one; the samples are counted.
  expect(job).toMatchObject({
    frames: 0,
    verdict: 'pass',
    durationSeconds: expect.closeTo(4, 2) as number,
    check: { measurement: { video: null, likeness: [{ identical: true, treatedSeconds: 4 }] } },
  })
  const { bytes } = job.forecast!
  expect(job.outputBytes! > bytes.low && job.outputBytes! < bytes.high).toBe(true)
  expect(await sourceSum()).toBe(before)
})

describe('a worker that is ended in order', () => {
  test('gives its job back at once', async () => {
    const before = await sourceSum()
    const first = aWorker()
    const id = await releaseHeld('encode')
    await first.end('SIGTERM')
    expect(await stateOf(id)).toBe('waiting')
    expect(await visible()).toEqual([])
    jobsHeld.letGo()
    startWorker()
    await expectDoneOnce(id, before)
  })
})

describe('out of working hours', () => {
  afterEach(() => changeHours(db.em(), anyTime))

  test('a running job is paused where it is and nothing is begun; both are done when a person wants it now', async () => {
    const before = await sourceSum()
    aWorker()
    const id = await releaseHeld('encode')
    await changeHours(db.em(), closedNow())
    await expect.poll(() => jobsHeld.paused, patience).toBe(true)
    jobsHeld.letGo()
    const second = await release('sound-wav')
    // Unpaused, both would be through in less.
    await new Promise(resolve => setTimeout(resolve, 3000))
    expect((await progressOf(id))!.framesDone).toBeLessThanOrEqual(11)
    expect([await stateOf(id), await stateOf(second)]).toEqual(['running', 'waiting'])
    await changeHours(db.em(), { workOnUntil: inSeconds(3600) })
    await until(second, 'done')
    await until(id, 'done')
    const { events, workSeconds, startedAt, finishedAt } = await readJob(db.em(), id)
    expect(events.map(({ event }) => event).filter(event => event !== 'place')).toEqual(
      expect.not.arrayContaining(['lose', 'hold', 'continue']),
    )
    expect(events.filter(({ event }) => event === 'start')).toHaveLength(1)
    // The rest is no work.
    expect(workSeconds! * 1000).toBeLessThan(Date.parse(finishedAt!) - Date.parse(startedAt!) - 2500)
    expect(await sourceSum()).toBe(before)
  })

  test('sources are measured all the same, and a job that was held and let go waits for the hours', async () => {
    aWorker()
    const id = await releaseHeld('encode')
    await actOnJobs(db.em(), [id], 'hold')
    await expect.poll(() => jobsHeld.paused, patience).toBe(true)
    await changeHours(db.em(), closedNow())
    jobsHeld.letGo()
    await actOnJobs(db.em(), [id], 'resume')
    const { jobs } = await draftJobs(db.em(), db.queue, [{ sourceId, specKey: 'sound-m4a' }], deliveryId)
    await expect
      .poll(async () => (await listJobs(db.em(), { ids: [jobs[0]!.id] }))[0]!.sampleState, patience)
      .toBe('ready')
    expect(await stateOf(id)).toBe('waiting')
    await changeHours(db.em(), anyTime)
    await until(id, 'done')
  })

  test('a worker that is started rests, too', async () => {
    await Promise.all(workers.map(worker => worker.end()))
    await changeHours(db.em(), closedNow())
    const id = await release('sound-wav')
    startWorker()
    await new Promise(resolve => setTimeout(resolve, 4000))
    expect(await stateOf(id)).toBe('waiting')
    await changeHours(db.em(), { workOnUntil: inSeconds(3600) })
    await until(id, 'done')
  })
})

describe('people', () => {
  test('hold a running job, and it goes on from where it was', async () => {
    const before = await sourceSum()
    aWorker()
    const id = await releaseHeld('encode')
    await actOnJobs(db.em(), [id], 'hold')
    await expect.poll(() => jobsHeld.paused, patience).toBe(true)
    jobsHeld.letGo()
    // Unheld, the hundred frames would be through in less.
    await new Promise(resolve => setTimeout(resolve, 1500))
    const progress = (await progressOf(id))!
    expect(progress.stage).toBe('encode')
    expect(progress.framesDone).toBeLessThanOrEqual(11)
    await actOnJobs(db.em(), [id], 'resume')
    await expectDoneOnce(id, before)
    const events = (await readJob(db.em(), id)).events.map(event => event.event)
    expect(events).toContain('continue')
    expect(events.filter(event => event === 'start')).toHaveLength(1)
  })

  test('cancel a running job: nothing of it stays, and it can be tried again', async () => {
    const before = await sourceSum()
    const worker = aWorker()
    const id = await releaseHeld('encode')
    await actOnJobs(db.em(), [id], 'cancel')
    await expect.poll(hidden, patience).toEqual([])
    await expect.poll(() => worker.taskProcesses, patience).toEqual([])
    expect(await visible()).toEqual([])
    jobsHeld.letGo()
    await actOnJobs(db.em(), [id], 'retry')
    await expectDoneOnce(id, before)
  })

  test('cancel and try again in one breath', async () => {
    const before = await sourceSum()
    aWorker()
    const id = await releaseHeld('encode')
    await actOnJobs(db.em(), [id], 'cancel')
    await actOnJobs(db.em(), [id], 'retry')
    jobsHeld.letGo()
    await expectDoneOnce(id, before)
  })
})

describe('what is there already', () => {
  test('is never replaced: the result takes the next free name', async () => {
    const before = await sourceSum()
    await writeFile(path.join(volumes.delivery, 'tape-archive.mkv'), "somebody else's")
    aWorker()
    const id = await release()
    await expectDoneOnce(id, before, ['tape-archive-2.mkv', 'tape-archive.mkv'])
    expect(await readFile(path.join(volumes.delivery, 'tape-archive.mkv'), 'utf8')).toBe("somebody else's")
  })

  test('and a name taken while the work ran is not either', async () => {
    const before = await sourceSum()
    aWorker()
    const id = await releaseHeld('check')
    await writeFile(path.join(volumes.delivery, 'tape-archive.mkv'), 'quicker')
    jobsHeld.letGo()
    await expectDoneOnce(id, before, ['tape-archive-2.mkv', 'tape-archive.mkv'])
    expect(await readFile(path.join(volumes.delivery, 'tape-archive.mkv'), 'utf8')).toBe('quicker')
  })
})

describe('names with folders', () => {
  const naming = async (namePattern: string) => {
    const { key: _key, version: _version, ...master } = pictureSpecs.find(spec => spec.key === 'archive-master')!
    return (await keepSpec(db.em(), { ...master, name: `${round} ${namePattern}`.slice(0, 60), namePattern }, null))
      .spec.key
  }

  test('lead to folders that are made, and nothing in them is replaced', async () => {
    await mkdir(path.join(volumes.delivery, `F-${round}`))
    await writeFile(path.join(volumes.delivery, `F-${round}`, '0001 tape.mkv'), "somebody else's")
    aWorker()
    const id = await release(await naming('{order}/{number} {item}'))
    await until(id, 'done')
    expect((await readJob(db.em(), id)).outputPath).toBe(`F-${round}/0001 tape-2.mkv`)
    expect((await readdir(path.join(volumes.delivery, `F-${round}`))).sort()).toEqual([
      '0001 tape-2.mkv',
      '0001 tape.mkv',
    ])
  })

  test('never lead out of the volume, whatever a folder in it points at', async () => {
    const outside = path.join(scratch, `outside-${round}`)
    await mkdir(outside)
    await symlink(outside, path.join(volumes.delivery, 'leads-out'))
    aWorker()
    const id = await release(await naming('leads-out/{item}'))
    await until(id, 'failed')
    expect((await readJob(db.em(), id)).reason).toBe(
      'The folder "leads-out" is a link that leads out of the volume. Remove it, or name results otherwise in the spec.',
    )
    expect(await readdir(outside)).toEqual([])
  })

  test('leave no folder behind where nothing comes of them', async () => {
    aWorker()
    jobsHeld.at('encode', 10)
    const id = await release(await naming('{order}/{item}'))
    await expect.poll(async () => (await progressOf(id))?.stage, patience).toBe('encode')
    await actOnJobs(db.em(), [id], 'cancel')
    await expect.poll(hidden, patience).toEqual([])
    expect(await visible()).toEqual([])
    jobsHeld.letGo()
  })

  test('lose no result when one of them has become a file meanwhile', async () => {
    aWorker()
    jobsHeld.at('check', 10)
    const id = await release(await naming('{order}/{item}'))
    await expect.poll(async () => (await progressOf(id))?.stage, patience).toBe('check')
    await writeFile(path.join(volumes.delivery, `F-${round}`), "somebody else's")
    jobsHeld.letGo()
    await until(id, 'done')
    expect((await readJob(db.em(), id)).outputPath).toBe('tape.mkv')
    expect((await visible()).sort()).toEqual([`F-${round}`, 'tape.mkv'])
  })
})

/** Lets updates of a job into a state fail a number of times: what a sequence counts is not rolled back. */
async function refuse(state: JobState, times: number): Promise<void> {
  const execute = (sql: string) => db.em().getConnection().execute(sql)
  await execute('create sequence if not exists refusal')
  await execute('alter sequence refusal restart')
  await execute(`create or replace function refuse() returns trigger language plpgsql as $$ begin
    if new.state = '${state}' and old.state <> new.state and nextval('refusal') <= ${times} then raise exception 'the disk of the database is full' using errcode = '58030'; end if;
    return new; end $$`)
  await execute('create or replace trigger refusal before update on job for each row execute function refuse()')
}
const endRefusal = () => db.em().getConnection().execute('drop trigger refusal on job')

describe('a folder of pictures', () => {
  /** What must hold of one: every file is there as its list has it, the list as the job has it, and nothing is left over. */
  async function expectWholeFolder(id: number, name: string): Promise<void> {
    await until(id, 'done')
    const { check, outputPath } = await readJob(db.em(), id)
    expect(outputPath).toBe(name)
    const folder = path.join(volumes.delivery, name)
    const list = await readFile(path.join(folder, 'checksums.sha256'))
    const sum = (bytes: Buffer) => createHash('sha256').update(bytes).digest('hex')
    expect(sum(list)).toBe(check!.measurement.sha256)
    const lines = list.toString().trimEnd().split('\n')
    expect(lines).toHaveLength(101)
    for (const line of lines) {
      const [hash, file] = line.split('  ') as [string, string]
      expect(sum(await readFile(path.join(folder, file)))).toBe(hash)
    }
    expect((await readdir(folder)).length).toBe(102)
    await expect.poll(hidden, patience).toEqual([])
  }

  test('whose process is killed is made anew, and never put over what is there', async () => {
    await mkdir(path.join(volumes.delivery, 'tape-frames'))
    await writeFile(path.join(volumes.delivery, 'tape-frames', 'note.txt'), 'Somebody wrote this.')
    const worker = aWorker()
    const id = await releaseHeld('encode', 'frames-png')
    for (const pid of worker.taskProcesses) process.kill(pid, 'SIGKILL')
    jobsHeld.letGo()
    await expectWholeFolder(id, 'tape-frames-2')
    expect(await readdir(path.join(volumes.delivery, 'tape-frames'))).toEqual(['note.txt'])
  })

  test('that is finished is found again after its worker was killed, and only placed', async () => {
    const first = aWorker()
    await refuse('placing', 1_000_000)
    const id = await release('frames-png')
    await expect
      .poll(async () => (await hidden()).filter(name => name.endsWith('.finished.json')), patience)
      .toHaveLength(1)
    const folder = (await hidden()).find(name => name.endsWith('.images'))!
    const { ino } = await stat(path.join(await workDirectory(), folder))
    await first.end('SIGKILL')
    await endRefusal()
    startWorker()
    await expectWholeFolder(id, 'tape-frames')
    expect((await stat(path.join(volumes.delivery, 'tape-frames'))).ino).toBe(ino)
  })
})

describe('sources', () => {
  test('that changed since they were read are not converted unseen', async () => {
    aWorker()
    await writeCountingClip(path.join(volumes.source, 'tape.mkv'), 50)
    const id = await release()
    await until(id, 'failed')
    expect((await readJob(db.em(), id)).reason).toBe(
      'The source has changed since it was read. Read it again, then make the job anew.',
    )
    expect(await visible()).toEqual([])
  })

  test('that change while a job works from them stop it with a sentence; nothing is delivered', async () => {
    aWorker()
    const id = await releaseHeld('encode')
    await writeCountingClip(path.join(volumes.source, 'tape.mkv'), 100, { size: '176x144', tone: true })
    jobsHeld.letGo()
    await until(id, 'failed')
    expect((await readJob(db.em(), id)).reason).toBe(
      'The source changed while the job ran, so its result was not kept. Read it again, then make the job anew.',
    )
    expect(await visible()).toEqual([])
    await expect.poll(hidden, patience).toEqual([])
  })
})

describe('a delivery volume that is not mounted', () => {
  test('is not written to: the job waits and says for what, and is done when the disk is back', async () => {
    const before = await sourceSum()
    aWorker()
    await expect.poll(async () => (await readVolume(db.em(), deliveryId)).markedAt, patience).toBeTruthy()
    const id = await releaseHeld('encode')
    await actOnJobs(db.em(), [id], 'cancel')
    jobsHeld.letGo()
    await expect.poll(hidden, patience).toEqual([])
    await rename(volumes.delivery, `${volumes.delivery}-elsewhere`)
    await mkdir(volumes.delivery)
    await actOnJobs(db.em(), [id], 'retry')
    await expect
      .poll(async () => (await readJob(db.em(), id)).reason, patience)
      .toMatch(/is not the volume Delivery \d+: its marker is missing. Its disk is probably not mounted/)
    expect(await stateOf(id)).toBe('waiting')
    expect(await readdir(volumes.delivery)).toEqual([])
    await rm(volumes.delivery, { recursive: true })
    await rename(`${volumes.delivery}-elsewhere`, volumes.delivery)
    await expectDoneOnce(id, before)
  })

  test('for a moment only, while a file is written, costs the job a new beginning and no more', async () => {
    const before = await sourceSum()
    aWorker()
    jobsHeld.at('encode', 10)
    const id = await release('small-mp4')
    await expect.poll(async () => (await progressOf(id))?.stage, patience).toBe('encode')
    // The writer of MP4 opens its file once more at the end, and by then the disk is back without it.
    const written = async () => (await hidden()).find(name => name.startsWith(`job-${id}-`))
    await expect.poll(written, patience).toBeTruthy()
    const file = await written()
    await rename(path.join(await workDirectory(), file!), path.join(scratch, `gone-${id}.mp4`))
    jobsHeld.letGo()
    await expectDoneOnce(id, before, ['tape-small.mp4'])
    expect(
      (await readJob(db.em(), id)).events.filter(event => event.event === 'lose').map(event => event.note),
    ).toEqual(['a file was not there for a moment'])
  })
})

describe('the database', () => {
  test('is killed while a job runs: it begins again by itself, and the job goes on and is done once', async () => {
    const before = await sourceSum()
    const worker = aWorker()
    const id = await releaseHeld('check')
    db.kill()
    jobsHeld.letGo()
    await expectDoneOnce(id, before)
    expect(worker.lives).toBe(true)
    expect((await readJob(db.em(), id)).attempt).toBe(1)
  })

  test.each(['placing', 'done'] as const)(
    'refuses three times to note that a job is %s: what is finished is kept until it is noted',
    async state => {
      const before = await sourceSum()
      aWorker()
      await refuse(state, 3)
      const id = await release()
      await expectDoneOnce(id, before)
      await endRefusal()
      const job = await readJob(db.em(), id)
      expect(job).toMatchObject({ attempt: 1, reason: null })
      expect(job.events.map(event => event.event)).not.toContain('fail')
    },
  )

  test('refuses until the worker is killed: the next one finds what is finished and does not do it again', async () => {
    const before = await sourceSum()
    const first = aWorker()
    await refuse('placing', 1_000_000)
    const id = await release()
    await expect
      .poll(async () => (await hidden()).filter(name => name.endsWith('.finished.json')), patience)
      .toHaveLength(1)
    const file = (await hidden()).find(name => name.endsWith('.mkv'))!
    const { ino } = await stat(path.join(await workDirectory(), file))
    await first.end('SIGKILL')
    await endRefusal()
    startWorker()
    await expectDoneOnce(id, before)
    expect((await stat(path.join(volumes.delivery, 'tape-archive.mkv'))).ino).toBe(ino)
  })

  test('cuts the connection between taking a job and beginning it: the job does not stand still', async () => {
    const before = await sourceSum()
    aWorker()
    await refuse('running', 1)
    const id = await release()
    await expectDoneOnce(id, before)
    await endRefusal()
    expect((await readJob(db.em(), id)).events.filter(event => event.event === 'lose')).toHaveLength(1)
  })
})

test('a measurement pauses running work and is there before it', async () => {
  aWorker()
  const running = await releaseHeld('encode')
  const forecastOf = async (specKey: string) =>
    (await listJobs(db.em(), { orderId })).find(job => job.specKey === specKey)!.forecast
  await expect.poll(() => forecastOf('archive-master'), patience).not.toBeNull()
  jobsHeld.forgetPause()
  await draftJobs(db.em(), db.queue, [{ sourceId, specKey: 'open-web-mp4' }], deliveryId)
  await expect.poll(() => forecastOf('open-web-mp4'), patience).not.toBeNull()
  expect(jobsHeld.paused).toBe(true)
  expect(await stateOf(running)).toBe('running')
  jobsHeld.letGo()
  await until(running, 'done')
})
