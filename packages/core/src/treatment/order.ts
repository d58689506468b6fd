import { stepKinds, type Step } from './step.ts'

export interface ArrangedSteps {
  steps: Step[]
  /** What was put elsewhere than it stood, and why, as sentences. */
  moved: string[]
  /** What cannot be together, as sentences; empty when the steps can be done. */
  refused: string[]
}

const rank = (step: Step) => stepKinds[step.kind].rank

/**
 * Steps in their working order. Steps of one kind keep the order in which they were given.
 * A step counts as moved when it comes after one that it stood before.
 */
export function arrangeSteps(given: readonly Step[]): ArrangedSteps {
  const steps = [...given].sort((a, b) => rank(a) - rank(b))
  const moved = given.flatMap((step, index) => {
    const overtaken = given.slice(0, index).filter(earlier => rank(earlier) > rank(step))
    if (overtaken.length === 0) return []
    const { name, placed } = stepKinds[step.kind]
    return [
      `${name} is done before ${overtaken.map(earlier => stepKinds[earlier.kind].name.toLowerCase()).join(' and ')}: ${placed}.`,
    ]
  })
  const refused: string[] = []
  const kinds = steps.map(step => step.kind)
  for (const kind of new Set(kinds)) {
    const { name, several } = stepKinds[kind]
    if (!several && kinds.filter(other => other === kind).length > 1)
      refused.push(`${name} is there twice. Remove one of the two.`)
  }
  if (kinds.includes('deinterlace') && kinds.includes('undo-pulldown'))
    refused.push(
      'Deinterlace and undo pulldown exclude each other: film in video is whole again once its pulldown is undone. Remove one.',
    )
  if (kinds.includes('more-frames') && kinds.includes('rate'))
    refused.push('More frames and change the rate both set the rate. Remove one.')
  for (const step of steps) {
    if (step.kind === 'lookup-table' && !step.asset)
      refused.push('Lookup table has no table yet. Choose one, or add a .cube file.')
    if (step.kind === 'picture-mark' && !step.asset)
      refused.push('Picture mark has no picture yet. Choose one, or add a PNG file.')
    if (step.kind !== 'trim') continue
    if (step.ranges.some(({ from, to }) => to <= from))
      refused.push('A range to keep ends before it begins. Give it an end after its beginning.')
    else if (step.ranges.some(({ from }, index) => index > 0 && from < step.ranges[index - 1]!.to))
      refused.push('Ranges to keep must follow each other without overlap. Put them in the order of their times.')
  }
  return { steps, moved, refused }
}
