import type { Turns } from '../turns.ts'

/**
 * The smallest number from 1 on that is enough, where every larger one is enough, too.
 * @returns null where the largest is not
 */
export function* fewest(most: number, isEnough: (number: number) => Turns<boolean>): Turns<number | null> {
  let [no, yes] = [0, most]
  if (!(yield* isEnough(yes))) return null
  while (yes - no > 1) {
    const middle = Math.floor((no + yes) / 2)
    if (yield* isEnough(middle)) yes = middle
    else no = middle
  }
  return yes
}
