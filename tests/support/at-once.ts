import type { Turns } from '@hematine/core'

/** Does all of some work at once. */
export function atOnce<Made>(work: Turns<Made>): Made {
  for (;;) {
    const turn = work.next()
    if (turn.done) return turn.value
  }
}
