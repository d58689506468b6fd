<script setup lang="ts">
import {
  describeClock,
  longestMomentSeconds,
  momentSeconds,
  mostMoments,
  type Moment,
  type SourceRecord,
} from '@hematine/core'
import { mdiClose } from '@mdi/js'
import { useEventListener } from '@vueuse/core'
import { computed, ref } from 'vue'

/** The moments of a source on a ruler of its length: chosen by measurement, or set by hand with I and O. */
const open = defineModel<number>({ required: true })
const { moments, byHand, source } = defineProps<{ moments: readonly Moment[]; byHand: boolean; source: SourceRecord }>()
const emit = defineEmits<{ change: [moments: Moment[] | null] }>()
const length = computed(() => source.facts?.durationSeconds ?? 1)
/** Place on the ruler for setting moments, in seconds. */
const place = ref(0)
const begun = ref<number | null>(null)
const left = (seconds: number) => `${(seconds / length.value) * 100}%`

function begin(): void {
  begun.value = place.value
}

/** O: the moment from where I was pressed (or a usual length before) to here. */
function end(): void {
  const from =
    begun.value !== null && begun.value < place.value ? begun.value : Math.max(0, place.value - momentSeconds)
  begun.value = null
  const to = Math.min(length.value, from + longestMomentSeconds, Math.max(place.value, from + 0.2))
  const added: Moment = { reason: 'by hand', from: Number(from.toFixed(3)), to: Number(to.toFixed(3)) }
  emit('change', [...moments, added].sort((a, b) => a.from - b.from).slice(0, mostMoments))
}

useEventListener(window, 'keydown', (event: KeyboardEvent) => {
  const target = event.target as HTMLElement
  if (
    event.ctrlKey ||
    event.metaKey ||
    event.altKey ||
    target.closest('[role="dialog"],.v-overlay') ||
    (['INPUT', 'TEXTAREA', 'SELECT'].includes(target.tagName) && (target as HTMLInputElement).type !== 'range')
  )
    return
  const key = event.key.toLowerCase()
  if (key !== 'i' && key !== 'o') return
  event.preventDefault()
  if (key === 'i') begin()
  else if (moments.length < mostMoments) end()
})
</script>

<template>
  <div class="moments" role="group" aria-label="Moments">
    <div class="row">
      <div class="ruler">
        <div
          v-for="(moment, index) in moments"
          :key="index"
          class="span"
          :class="{ open: index === open }"
          :style="{ left: left(moment.from), width: left(moment.to - moment.from) }"
          aria-hidden="true"
        />
        <div v-if="begun !== null" class="begun" :style="{ left: left(begun) }" aria-hidden="true" />
        <input
          v-model.number="place"
          type="range"
          min="0"
          :max="length"
          step="0.04"
          aria-label="Place for a moment of one's own"
          :aria-valuetext="describeClock(place)"
        />
      </div>
      <span class="number muted">{{ describeClock(place) }}</span>
      <VBtn variant="text" :aria-pressed="begun !== null" @click="begin">I begin</VBtn>
      <VBtn variant="text" :disabled="moments.length >= mostMoments" @click="end">O end</VBtn>
      <VBtn v-if="byHand" variant="text" @click="emit('change', null)">By measurement</VBtn>
    </div>
    <div class="line">
      <span v-for="(moment, index) in moments" :key="index" class="chip" :class="{ open: index === open }">
        <button
          type="button"
          :aria-pressed="index === open"
          @click="
            () => {
              open = index
              place = moment.from
            }
          "
        >
          {{ moment.reason }} <span class="number muted">{{ describeClock(moment.from) }}</span>
        </button>
        <button
          v-if="moments.length > 1"
          type="button"
          class="drop"
          :aria-label="`Drop the moment ${moment.reason} at ${describeClock(moment.from)}`"
          @click="
            emit(
              'change',
              moments.filter((_, other) => other !== index),
            )
          "
        >
          <VIcon :icon="mdiClose" size="14" aria-hidden="true" />
        </button>
      </span>
    </div>
  </div>
</template>

<style scoped>
.moments {
  border-top: 1px solid var(--line);
  padding: 4px 12px 2px;
  flex: none;
}
.row {
  display: flex;
  align-items: center;
  gap: 4px;
}
.ruler {
  position: relative;
  height: 20px;
  flex: 1;
}
.span {
  position: absolute;
  top: 4px;
  height: 12px;
  min-width: 3px;
  background: var(--raised);
  border: 1px solid var(--muted);
  border-radius: 2px;
  pointer-events: none;
}
.span.open {
  background: var(--accent);
  border-color: var(--accent-text);
}
.begun {
  position: absolute;
  top: 2px;
  height: 16px;
  width: 2px;
  background: var(--look);
  pointer-events: none;
}
.ruler input {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
  margin: 0;
  accent-color: var(--muted);
  opacity: 0.75;
}
.line {
  display: flex;
  align-items: center;
  gap: 4px;
  overflow-x: auto;
  min-height: 30px;
}
.chip {
  display: inline-flex;
  align-items: center;
  border: 1px solid var(--line);
  border-radius: 2px;
  white-space: nowrap;
}
.chip.open {
  box-shadow: inset 0 -2px 0 var(--accent);
}
.chip button {
  min-height: 24px;
  padding: 0 6px;
}
.chip .drop {
  padding: 0;
  min-width: 24px;
  color: var(--muted);
}
</style>
