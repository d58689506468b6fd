import { z } from 'zod'
import { FindingKey, findingNames } from './findings/finding.ts'

/** What a list of sources can be narrowed by: each condition names a field, how it is compared, and with what. All must hold. */

const text = z.string().trim().min(1).max(200)

export const SourceCondition = z.discriminatedUnion('field', [
  z.object({ field: z.literal('name'), how: z.enum(['contains', 'contains not']), value: text }),
  z.object({ field: z.enum(['material', 'codec', 'scan', 'state']), how: z.enum(['is', 'is not']), value: text }),
  z.object({
    field: z.enum(['width', 'height', 'rate', 'seconds', 'bytes', 'faults']),
    how: z.enum(['at least', 'at most']),
    value: z.number(),
  }),
  z.object({ field: z.literal('finding'), how: z.enum(['has', 'has not']), value: FindingKey }),
  z.object({ field: z.literal('jobs'), how: z.enum(['has', 'has not']), value: z.literal('job') }),
])
export type SourceCondition = z.infer<typeof SourceCondition>

export const SourceFilter = z.array(SourceCondition).max(12, 'names more than 12 conditions')
export type SourceFilter = z.infer<typeof SourceFilter>

export const SourceSort = z.enum(['name', 'picture', 'rate', 'codec', 'seconds', 'bytes', 'faults', 'came'])
export type SourceSort = z.infer<typeof SourceSort>

const fieldWords: Record<SourceCondition['field'], string> = {
  name: 'name',
  material: 'kind',
  codec: 'codec',
  scan: 'scan',
  state: 'state',
  width: 'width',
  height: 'height',
  rate: 'fps',
  seconds: 'length',
  bytes: 'size',
  faults: 'faults',
  finding: '',
  jobs: '',
}
const units: Partial<Record<SourceCondition['field'], [divisor: number, unit: string]>> = {
  seconds: [60, ' min'],
  bytes: [1e6, ' MB'],
  width: [1, ' px'],
  height: [1, ' px'],
}

/** A condition in words, for its chip: "blocking", "no hum", "length at least 10 min". */
export function describeCondition(condition: SourceCondition): string {
  if (condition.field === 'finding') return `${condition.how === 'has' ? '' : 'no '}${findingNames[condition.value]}`
  if (condition.field === 'jobs') return condition.how === 'has' ? 'with a job' : 'without a job'
  const [divisor, unit] = units[condition.field] ?? [1, '']
  const value =
    typeof condition.value === 'number' ? `${Number((condition.value / divisor).toFixed(2))}${unit}` : condition.value
  return `${fieldWords[condition.field]} ${condition.how} ${value}`
}
