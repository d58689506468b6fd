import { expect, test } from 'vitest'
import { Parts } from '../src/children.ts'

/** How far a task is is told to the database, whose answer may come when the process already does the next task. */
function answered() {
  let answer = (_: boolean) => undefined as void
  const stopped: string[] = []
  const parts = new Parts(
    () =>
      new Promise<boolean>(resolve => {
        answer = resolve
      }),
    () => stopped.push('stopped'),
  )
  return { parts, stopped, answer: (wanted: boolean) => answer(wanted) }
}
const soon = () => new Promise(resolve => setTimeout(resolve, 0))

test('a task that nobody wants any more is stopped', async () => {
  const { parts, stopped, answer } = answered()
  parts.tell(0.5)
  answer(false)
  await soon()
  expect(stopped).toEqual(['stopped'])
})

test('an answer that comes after the task has ended stops nothing: the process does another task by then', async () => {
  const { parts, stopped, answer } = answered()
  parts.tell(1)
  parts.end()
  answer(false)
  await soon()
  expect(stopped).toEqual([])
})
