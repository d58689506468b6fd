import { setImmediate } from 'node:timers/promises'
import type { Turns } from '@hematine/core'

/** How long others wait at most while such work goes on. */
const turnMilliseconds = 8

/** Does work a little at a time, and serves others in between. */
export async function inTurns<Made>(work: Turns<Made>): Promise<Made> {
  for (;;) {
    const until = performance.now() + turnMilliseconds
    do {
      const turn = work.next()
      if (turn.done) return turn.value
    } while (performance.now() < until)
    await setImmediate()
  }
}
