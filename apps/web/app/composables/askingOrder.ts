/** The order in which a question is asked again and again. */
export interface AskingOrder {
  /** The question is asked once more. @returns asked when the answer is there: whether it counts, which it does unless that to a later question was there before it */
  ask(): () => boolean
  /** It is another question now: no answer to what was asked before counts. */
  forget(): void
}

/**
 * Keeps answers from being overtaken: of two questions on their way, the second may be answered first. Each answer that is newer than what is shown counts, also
 * when the next question is asked already: what changes faster than it is answered would never be shown otherwise.
 */
export function askingOrder(): AskingOrder {
  let asked = 0
  let counted = 0
  return {
    ask() {
      const mine = ++asked
      return () => {
        if (mine <= counted) return false
        counted = mine
        return true
      }
    },
    forget() {
      counted = asked
    },
  }
}
