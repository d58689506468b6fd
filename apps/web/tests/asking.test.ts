import { describe, expect, test } from 'vitest'
import { askingOrder } from '../app/composables/askingOrder.ts'
import { oneAtATime } from '../app/composables/oneAtATime.ts'
import { useNewest } from '../app/composables/useNewest.ts'
import { latest } from '../app/stores/collection.ts'

/** Questions that are asked again and again, and answers that a test gives when and in what order it likes. */
function questions<Answer>() {
  const waiting: { give: (answer: Answer) => void; refuse: (error: Error) => void }[] = []
  return {
    ask: () =>
      new Promise<Answer>((resolve, reject) => {
        waiting.push({ give: resolve, refuse: reject })
      }),
    /** Gives the answer to the question that was asked as the nth. */
    async answer(nth: number, answer: Answer): Promise<void> {
      waiting[nth]!.give(answer)
      await soon()
    },
    async refuse(nth: number, message: string): Promise<void> {
      waiting[nth]!.refuse(new Error(message))
      await soon()
    },
    get asked() {
      return waiting.length
    },
  }
}
const soon = () => new Promise(resolve => setTimeout(resolve, 2))

describe('the order of asking', () => {
  test('an answer counts until a later one is there, and never after it', () => {
    const asking = askingOrder()
    const [first, second, third] = [asking.ask(), asking.ask(), asking.ask()]
    expect([second(), first(), third()]).toEqual([true, false, true])
  })

  test('no answer to what was asked before the question changed counts', () => {
    const asking = askingOrder()
    const before = asking.ask()
    asking.forget()
    const after = asking.ask()
    expect([before(), after()]).toEqual([false, true])
  })
})

describe('the newest answer', () => {
  test('is shown as it comes, also where the next question is asked before every answer', async () => {
    const server = questions<number>()
    const { answer, look } = useNewest(server.ask)
    const shown: (number | null)[] = []
    for (let nth = 0; nth < 4; nth++) {
      void look()
      if (nth > 0) await server.answer(nth - 1, nth)
      shown.push(answer.value)
    }
    expect(shown).toEqual([null, 1, 2, 3])
  })

  test('is not overtaken by an older one, nor by what an older one failed of', async () => {
    const server = questions<number>()
    const { answer, failed, look } = useNewest(server.ask)
    for (let count = 0; count < 3; count++) void look()
    await server.answer(2, 3)
    await server.answer(0, 1)
    await server.refuse(1, 'away')
    expect([answer.value, failed.value]).toEqual([3, null])
  })

  test('to another question is waited for: what is on its way is to the one before', async () => {
    const server = questions<string>()
    const { answer, isAwaited, look, changed } = useNewest(server.ask)
    void look()
    changed()
    void look()
    await server.answer(0, 'before')
    expect([answer.value, isAwaited.value]).toEqual([null, true])
    await server.answer(1, 'after')
    expect([answer.value, isAwaited.value]).toEqual(['after', false])
  })
})

describe('one value of the server', () => {
  test('follows what changes faster than it is answered', async () => {
    const server = questions<number>()
    const numbers = latest(0, server.ask)
    const first = numbers.load(1)
    void numbers.load(1)
    await server.answer(0, 1)
    await first
    expect(numbers.value.value).toBe(1)
  })

  test('is not taken back by an answer that comes late', async () => {
    const server = questions<number>()
    const numbers = latest(0, server.ask)
    const loads = [numbers.load(1), numbers.load(1)]
    await server.answer(1, 2)
    await server.answer(0, 1)
    await Promise.all(loads)
    expect(numbers.value.value).toBe(2)
  })

  test("is never that of an order that was left: who asked for it goes on when the other's is there", async () => {
    const server = questions<number>()
    const numbers = latest(0, server.ask)
    let isOver = false
    const first = numbers.load(1).then(() => (isOver = true))
    void numbers.load(2)
    await server.answer(0, 1)
    expect([isOver, numbers.value.value]).toEqual([false, 0])
    await server.answer(1, 2)
    await first
    expect(numbers.value.value).toBe(2)
  })
})

test('what is asked for while it is under way is done once more, however often', async () => {
  const server = questions<void>()
  const look = oneAtATime(server.ask)
  const all = [look(), look(), look()]
  expect(server.asked).toBe(1)
  await server.answer(0)
  expect(server.asked).toBe(2)
  await server.answer(1)
  await Promise.all(all)
  expect(server.asked).toBe(2)
  void look()
  expect(server.asked).toBe(3)
})
