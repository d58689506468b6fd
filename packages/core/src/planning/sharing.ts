import { z } from 'zod'
import type { Machine } from './shared-lanes.ts'

/** Cores that lanes share, and how many times as long as on a machine of its own work takes because of that, on the whole. */
export const Sharing = z.object({ cores: z.int().positive(), slowing: z.number().min(1) })
export type Sharing = z.infer<typeof Sharing>

/** What is told of lanes that share cores; null where nobody knows how many. */
export function sharingOf({ cores }: Machine, slowing: number): Sharing | null {
  return cores === null ? null : { cores, slowing }
}

/** Work that takes less than so many times as long as alone is not told to be slowed. */
export const leastSlowing = 1.05

/** What several lanes do to each other, as a sentence; null of one lane. */
export function describeSharing(lanes: number, sharing: Sharing | null): string | null {
  if (lanes <= 1) return null
  if (!sharing) return 'Each lane is taken for as quick as one that has its machine to itself.'
  const { cores, slowing } = sharing
  return slowing < leastSlowing
    ? `There is room for all lanes on the ${cores} cores that they share.`
    : `The lanes share ${cores} ${cores === 1 ? 'core' : 'cores'}: work takes ${slowing.toFixed(1)} times as long as alone.`
}
