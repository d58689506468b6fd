<script setup lang="ts">
import type { JobState, Verdict } from '@hematine/core'
import { computed } from 'vue'

/** A state as a shape, with its word for those who cannot see it. Shape first, colour second. */
type Mark = JobState | Verdict | 'reading' | 'refused' | 'ready' | 'measuring'

const { state, label = '' } = defineProps<{ state: Mark; label?: string }>()

const shapes: Record<string, { shape: string; tone: string }> = {
  draft: { shape: 'ring', tone: 'muted' },
  ready: { shape: 'ring', tone: 'muted' },
  waiting: { shape: 'half', tone: 'muted' },
  queued: { shape: 'half', tone: '' },
  reading: { shape: 'half', tone: 'muted' },
  measuring: { shape: 'triangle', tone: '' },
  running: { shape: 'triangle', tone: '' },
  placing: { shape: 'triangle', tone: '' },
  held: { shape: 'bars', tone: 'look' },
  done: { shape: 'tick', tone: 'good' },
  pass: { shape: 'tick', tone: 'good' },
  look: { shape: 'diamond', tone: 'look' },
  failed: { shape: 'cross', tone: 'bad' },
  fail: { shape: 'cross', tone: 'bad' },
  refused: { shape: 'cross', tone: 'bad' },
  cancelled: { shape: 'dash', tone: 'muted' },
}
const mark = computed(() => shapes[state] ?? shapes.draft!)
</script>

<template>
  <span class="mark">
    <svg :class="mark.tone" viewBox="0 0 12 12" width="12" height="12" aria-hidden="true">
      <circle v-if="mark.shape === 'ring'" cx="6" cy="6" r="4.2" fill="none" stroke="currentColor" stroke-width="1.6" />
      <g v-else-if="mark.shape === 'half'">
        <circle cx="6" cy="6" r="4.2" fill="none" stroke="currentColor" stroke-width="1.6" />
        <path d="M6 1.8a4.2 4.2 0 0 1 0 8.4z" fill="currentColor" />
      </g>
      <path v-else-if="mark.shape === 'triangle'" d="M2.5 1.5 10.5 6 2.5 10.5z" fill="currentColor" />
      <path v-else-if="mark.shape === 'bars'" d="M2.5 1.5h2.6v9H2.5zM6.9 1.5h2.6v9H6.9z" fill="currentColor" />
      <path
        v-else-if="mark.shape === 'tick'"
        d="M1.6 6.4 4.7 9.5 10.6 2.6"
        fill="none"
        stroke="currentColor"
        stroke-width="2"
      />
      <path v-else-if="mark.shape === 'diamond'" d="M6 .8 11.2 6 6 11.2.8 6z" fill="currentColor" />
      <path v-else-if="mark.shape === 'cross'" d="m2 2 8 8M10 2 2 10" stroke="currentColor" stroke-width="2" />
      <path v-else d="M2 6h8" stroke="currentColor" stroke-width="2" />
    </svg>
    <span
      v-if="label"
      :class="{ look: mark.tone === 'look', bad: mark.tone === 'bad', muted: mark.tone === 'muted' }"
      >{{ label }}</span
    >
    <span v-else class="visually-hidden">{{ state }}</span>
  </span>
</template>

<style scoped>
.mark {
  display: inline-flex;
  align-items: center;
  gap: 6px;
  white-space: nowrap;
}
svg {
  flex: none;
}
</style>
