import { equal, rational, type Rational } from '../rational.ts'
import { describeRate } from '../timing.ts'

/** The rates that MPEG-2 has codes for (ITU-T H.262, table 6-4), which are those of television and film. */
const televisionRates: readonly Rational[] = [
  rational(24_000, 1001),
  rational(24),
  rational(25),
  rational(30_000, 1001),
  rational(30),
  rational(50),
  rational(60_000, 1001),
  rational(60),
]

/** For what takes the rates of television and film alone: why it cannot have another one. @param name of the codec or container */
export const televisionRatesOf =
  (name: string) =>
  (rate: Rational): string | null =>
    televisionRates.some(other => equal(rate, other))
      ? null
      : `${name} runs at ${televisionRates.map(describeRate).join(', ')} fps, not at ${describeRate(rate)}.`
