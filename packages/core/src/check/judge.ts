import { accountLines } from '../account-words.ts'
import type { SourceFacts } from '../facts.ts'
import { findingNames, type Finding, type FindingKey } from '../findings/finding.ts'
import { describeBytes } from '../format.ts'
import type { DeliverySpec } from '../spec/schema.ts'
import { leftInBy, stepKinds, type Treatment } from '../treatment/index.ts'
import { judgedSpec, judgePicture } from './judge-picture.ts'
import { judgeEncoder } from './judge-encoder.ts'
import { judgeSheet } from './judge-sheet.ts'
import { judgeSound } from './judge-sound.ts'
import { judgeTags, judgeTextTracks } from './judge-texts.ts'
import type { AddLine } from './lines.ts'
import type { Check, CheckLine, CheckMeasurement } from './records.ts'

/** Findings of what a source lacks, which no step brings back. */
const damage = new Set<FindingKey>(['cut-short', 'decode-errors', 'unreadable', 'missing-frames'])

/**
 * Judges a measured result against its spec and treatment, line by line; the worst line is the verdict.
 * @param source its facts and what was found of it, where a fault that was left in is to be said; its name, where a result may be called by that
 */
export function judge<Measured extends CheckMeasurement>(
  measured: Measured,
  spec: DeliverySpec,
  treatment: Treatment,
  source: { facts: SourceFacts; findings: readonly Finding[]; name?: string } | null = null,
): Check & { measurement: Measured } {
  const lines: CheckLine[] = []
  const add: AddLine = (name, expected, found, ok, reason, otherwise = 'fail') =>
    lines.push({ name, expected, found, verdict: ok ? 'pass' : otherwise, reason: ok ? null : reason })
  if (measured.video === null && spec.video === null && treatment.result === null)
    judgeSound(add, measured, spec, treatment)
  else if (measured.video !== null && spec.video !== null && treatment.result !== null) {
    judgePicture(add, measured, judgedSpec(spec, treatment, source?.facts ?? null), treatment, source?.facts ?? null)
    judgeSheet(add, measured, spec, treatment)
    judgeEncoder(add, measured, spec, treatment)
  } else
    throw new TypeError(
      'A measurement, its spec and its treatment must all be of a result with a picture, or of one without.',
    )
  if (source) {
    judgeTextTracks(add, measured, spec, treatment, source.facts)
    judgeTags(add, measured, spec, source.facts, source.name ?? null)
  }
  for (const line of measured.account ? accountLines(measured.account, treatment, measured.glances) : [])
    add(
      line.name,
      line.expected,
      line.found,
      line.verdict === 'pass',
      line.reason,
      line.verdict === 'look' ? 'look' : 'fail',
    )
  for (const entry of source?.findings ?? [])
    if (damage.has(entry.key))
      add(
        findingNames[entry.key],
        'none in the source',
        'in the source',
        false,
        `${entry.says} The result has what there is.`,
        'look',
      )
  if (source)
    for (const { finding, step } of leftInBy(source.facts, source.findings, spec, treatment))
      add(
        findingNames[finding.key],
        'not left in',
        'left in',
        false,
        `${finding.says} It is still there: nothing was done about it. ${stepKinds[step.kind].name} would have cured it.`,
        'look',
      )
  const rate = spec.video?.rateControl
  add(
    'bytes',
    rate?.kind === 'size cap'
      ? `at most ${describeBytes(rate.bytes)}; source ${describeBytes(measured.sourceBytes)}`
      : `source ${describeBytes(measured.sourceBytes)}`,
    rate?.kind === 'size cap'
      ? `${describeBytes(measured.bytes)}, ${((100 * measured.bytes) / rate.bytes).toFixed(1)} % of the cap`
      : `${describeBytes(measured.bytes)}`,
    measured.bytes > 0 && (rate?.kind !== 'size cap' || measured.bytes <= rate.bytes),
    measured.bytes > 0 ? 'The file is larger than the spec allows.' : 'The file is empty.',
  )
  const verdict = lines.some(line => line.verdict === 'fail')
    ? 'fail'
    : lines.some(line => line.verdict === 'look')
      ? 'look'
      : 'pass'
  return { verdict, lines, measurement: measured }
}
