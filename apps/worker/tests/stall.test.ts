import { spawn, type ChildProcess } from 'node:child_process'
import { afterEach, expect, test } from 'vitest'
import { watchForStall } from '../src/stall.ts'

/** Stand-ins for a child that hangs, one that computes and one that reads. */
const children: ChildProcess[] = []
afterEach(() => {
  for (const child of children.splice(0)) child.kill('SIGKILL')
})
function run(script: string): number {
  const child = spawn(process.execPath, ['-e', script], { stdio: 'ignore' })
  children.push(child)
  return child.pid!
}
const quick = { everyMilliseconds: 200, afterMilliseconds: 1000 }
const whether = (pid: number, isWaiting = () => false) =>
  new Promise<string>(resolve => {
    // The first second is the start of the process itself.
    setTimeout(() => {
      const end = watchForStall(pid, isWaiting, () => resolve('stalled'), quick)
      setTimeout(() => {
        end()
        resolve('at work')
      }, 4000)
    }, 1000)
  })

test('a process that neither computes nor reads has stalled; one that was told to wait has not', async () => {
  const pid = run('setTimeout(() => undefined, 1e6)')
  expect(await whether(pid)).toBe('stalled')
  expect(await whether(pid, () => true)).toBe('at work')
})

test('a process that computes, however slowly, is at work', async () => {
  expect(await whether(run('setInterval(() => { const end = Date.now() + 60; while (Date.now() < end); }, 150)'))).toBe(
    'at work',
  )
})

test('a process that reads, however little, is at work', async () => {
  expect(await whether(run('setInterval(() => require("fs").readFileSync("/proc/self/stat"), 100)'))).toBe('at work')
})
