import { spawnSync } from 'node:child_process'
import { existsSync, mkdirSync, readdirSync, utimesSync, writeFileSync } from 'node:fs'
import path from 'node:path'
import { expect, test } from 'vitest'
import { holdData } from '../lib/data-hold.ts'
import { scratchDirectory } from '../../tests/support/scratch.ts'

/** One start command works on a data directory at a time. */
const scratch = scratchDirectory()
let count = 0
const aDirectory = () => path.join(scratch, `data ${++count}`)
const nothingSaid = (line: string) => expect(line).toBe('')
/** Leaves a note as another process would. */
function leave(directory: string, note: string): string {
  mkdirSync(directory, { recursive: true })
  const file = path.join(directory, 'in-use.json')
  writeFileSync(file, note)
  return file
}

test('a second one is refused with a sentence, until the first has gone', async () => {
  const directory = aDirectory()
  const first = await holdData(directory, nothingSaid)
  await expect(holdData(directory, nothingSaid)).rejects.toThrow(
    `Hematine already works on the data in ${directory} (process ${process.pid}). Go on with that one, end it first, or give this one a directory of its own`,
  )
  first.release()
  expect(readdirSync(directory)).toEqual([])
  const second = await holdData(directory, nothingSaid)
  second.release()
})

test('one that is ending is waited for', async () => {
  const directory = aDirectory()
  const said: string[] = []
  const first = await holdData(directory, nothingSaid)
  first.ending()
  let isHeld = false
  const second = holdData(directory, line => said.push(line)).then(hold => {
    isHeld = true
    return hold
  })
  await new Promise(resolve => setTimeout(resolve, 700))
  expect([isHeld, said]).toEqual([false, ['Another Hematine on this data is ending; waiting for it ...']])
  first.release()
  ;(await second).release()
})

test('one that does not come to its end is told of', async () => {
  const directory = aDirectory()
  const first = await holdData(directory, nothingSaid)
  first.ending()
  await expect(holdData(directory, () => undefined, 600)).rejects.toThrow('has been ending for')
  first.release()
})

test('what was killed holds nothing: neither a process that is gone, nor another one with its number', async () => {
  const gone = spawnSync('true').pid
  for (const pid of [gone, process.ppid]) {
    const directory = aDirectory()
    leave(directory, JSON.stringify({ pid, began: 'another time', isEnding: false }))
    const hold = await holdData(directory, nothingSaid)
    hold.release()
  }
})

test('a note that is being written is waited for, one that was cut off is not', async () => {
  const directory = aDirectory()
  const file = leave(directory, '{"pid": 1')
  let isHeld = false
  const held = holdData(directory, nothingSaid).then(hold => {
    isHeld = true
    return hold
  })
  await new Promise(resolve => setTimeout(resolve, 500))
  expect(isHeld).toBe(false)
  utimesSync(file, new Date(Date.now() - 60_000), new Date(Date.now() - 60_000))
  const hold = await held
  hold.release()
  expect(existsSync(file)).toBe(false)
})
