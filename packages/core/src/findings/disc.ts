import { describeClock } from '../format.ts'
import type { Measurement } from '../measurement.ts'
import { finding, stretch, type Finding } from './finding.ts'

/** What a drive could not read of a title's sectors. */
export function discFindings(unreadable: NonNullable<Measurement['unreadable']>): Finding[] {
  if (unreadable.length === 0) return []
  const sectors = unreadable.reduce((sum, { sectors }) => sum + sectors, 0)
  const where = unreadable
    .slice(0, 3)
    .map(({ from }) => describeClock(from))
    .join(', ')
  return [
    finding(
      'unreadable',
      'fault',
      `${sectors} ${sectors === 1 ? 'sector' : 'sectors'} of the disc could not be read, about ${where}${unreadable.length > 3 ? ' and later' : ''} into the title. They are filled with noughts.`,
      {
        value: sectors,
        unit: 'sectors',
        places: unreadable.map(({ from, to }) => stretch(from, to)),
        suggests: 'Clean the disc and read it again',
      },
    ),
  ]
}
