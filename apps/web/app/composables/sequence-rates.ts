import { describeRate, rational } from '@hematine/core'

/** Frame rates that a sequence of pictures is usually given, for a list to choose from. */
export const sequenceRates = [
  [12, 1],
  [24000, 1001],
  [24, 1],
  [25, 1],
  [30000, 1001],
  [30, 1],
  [50, 1],
  [60, 1],
]
  .map(([num, den]) => rational(num!, den!))
  .map(value => ({ title: `${describeRate(value)} fps`, value }))
