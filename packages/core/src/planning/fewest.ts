import type { Turns } from '../turns.ts'

/**
 * The smallest number from 1 on that is enough.
 * @param most that is tried
 * @param mayBeTooMany whether larger ones than one that is enough may not be enough: those are looked for from below, by doubling
 * @returns null where none of those that were tried is
 */
export function* fewest(
  most: number,
  isEnough: (number: number) => Turns<boolean>,
  mayBeTooMany: boolean,
): Turns<number | null> {
  let [no, yes] = [0, mayBeTooMany ? Math.min(1, most) : most]
  if (most < 1) return null
  while (!(yield* isEnough(yes))) {
    if (yes === most) return null
    no = yes
    yes = Math.min(most, 2 * yes)
  }
  while (yes - no > 1) {
    const middle = Math.floor((no + yes) / 2)
    if (yield* isEnough(middle)) yes = middle
    else no = middle
  }
  return yes
}
