import { Supposed, type WhatIf } from '@hematine/core'
import { useLocalStorage } from '@vueuse/core'
import { computed, shallowRef, watch } from 'vue'
import { z } from 'zod'
import { askOutlook, type Outlook } from './useOutlook'

/** Suppositions that are kept at most to be held against each other: more would not be looked at. */
export const mostKept = 6

const Kept = z.array(z.object({ name: z.string().min(1).max(80), supposed: Supposed }))
const readKept = (text: unknown): z.infer<typeof Kept> => Kept.safeParse(text).data ?? []

/**
 * Suppositions under names, kept by this browser, and what comes of each.
 * @param asIs asked anew whenever it is
 * @param counted what counts beside what is released
 */
export function useKeptSuppositions(asIs: () => Outlook | null, counted: () => Partial<WhatIf>) {
  const stored = useLocalStorage<unknown[]>('hematine-suppositions', [])
  const kept = computed(() => readKept(stored.value))
  /** By name; null of what could not be worked out. */
  const outlooks = shallowRef<ReadonlyMap<string, Outlook | null>>(new Map())
  let looks = 0

  async function look(): Promise<void> {
    const mine = ++looks
    const found = new Map<string, Outlook | null>()
    for (const { name, supposed } of kept.value) {
      const outlook = await askOutlook({ ...supposed, ...counted() }).catch(() => null)
      if (mine !== looks) return
      found.set(name, outlook)
    }
    outlooks.value = found
  }
  watch([asIs, kept], () => void look())

  /** Keeps one under a name, in the place of what had it. */
  function keep(name: string, supposed: Supposed): void {
    const others = kept.value.filter(entry => entry.name !== name)
    stored.value = [...others, { name: name.slice(0, 80), supposed }]
  }
  function forget(name: string): void {
    stored.value = kept.value.filter(entry => entry.name !== name)
  }
  return { kept, outlooks, keep, forget }
}
