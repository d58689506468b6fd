<script setup lang="ts">
import { describeClock, findingNames, type Finding, type SourceRecord } from '@hematine/core'
import { scaleLinear } from 'd3-scale'
import { computed, ref, watch } from 'vue'
import { addressOf, call } from '~/composables/useCall'

/** Pictures spread over a source, and under them a ruler of its time with the findings marked on it. */
const { source } = defineProps<{ source: SourceRecord }>()
const emit = defineEmits<{ see: [finding: Finding, place: number]; seconds: [seconds: number] }>()

const places = ref<number[]>([])
watch(
  () => [source.id, source.measureState],
  async () => {
    places.value = source.measured ? await call('sourceStrip', { parameters: { id: source.id } }).catch(() => []) : []
  },
  { immediate: true },
)

/** As many as there is room for, evenly out of all. */
const shown = computed(() => {
  const count = Math.min(6, places.value.length)
  return Array.from({ length: count }, (_, index) => Math.floor(((index + 0.5) * places.value.length) / count))
})
const width = 1000
const length = computed(() => Math.max(0.04, source.facts?.durationSeconds ?? 0))
const x = computed(() => scaleLinear([0, length.value], [6, width - 6]))
const ticks = computed(() => x.value.ticks(4).filter(tick => tick < length.value * 0.94))
const marks = computed(() =>
  source.findings
    .filter(finding => finding.kind === 'fault' || finding.key === 'cuts')
    .flatMap(finding => finding.places.map((place, index) => ({ finding, index, place }))),
)
</script>

<template>
  <section v-if="source.facts?.video" aria-label="The source over its time" class="strip">
    <div v-if="shown.length > 1" class="pictures">
      <button
        v-for="index in shown"
        :key="index"
        type="button"
        class="picture"
        :aria-label="`Frame at ${describeClock(places[index]!)}`"
        @click="emit('seconds', places[index]!)"
      >
        <img :src="addressOf('sourceStripPicture', { parameters: { id: source.id, index } })" alt="" loading="lazy" />
      </button>
    </div>
    <img
      v-else-if="source.hasPoster"
      :src="addressOf('sourcePoster', { parameters: { id: source.id } })"
      :alt="`A frame of ${source.name}`"
      class="poster"
    />
    <svg
      v-if="source.measured"
      :viewBox="`0 0 ${width} 62`"
      class="ruler"
      role="group"
      :aria-label="`Time ruler, ${describeClock(length)} long`"
    >
      <line x1="6" :x2="width - 6" y1="34" y2="34" stroke="currentColor" class="axis" />
      <g v-for="tick in ticks" :key="tick" class="tick">
        <line :x1="x(tick)" :x2="x(tick)" y1="34" y2="40" stroke="currentColor" />
        <text :x="x(tick)" y="58" :text-anchor="tick === 0 ? 'start' : 'middle'">{{ describeClock(tick) }}</text>
      </g>
      <g
        v-for="({ finding, index, place }, order) in marks"
        :key="order"
        :class="['mark', finding.kind]"
        role="button"
        tabindex="0"
        :aria-label="`${findingNames[finding.key]} at ${describeClock(place.seconds)}`"
        @click="emit('see', finding, index)"
        @keydown.enter="emit('see', finding, index)"
      >
        <title>{{ findingNames[finding.key] }}, {{ describeClock(place.seconds) }}</title>
        <rect
          v-if="place.until !== null"
          :x="x(place.seconds)"
          :width="Math.max(6, x(Math.min(length, place.until)) - x(place.seconds))"
          y="14"
          height="14"
        />
        <path v-else :d="`M${x(Math.min(length, place.seconds))} 10l9 11l-9 11l-9 -11z`" />
      </g>
    </svg>
  </section>
</template>

<style scoped>
.pictures {
  display: flex;
  gap: 2px;
}
.picture {
  flex: 1 1 0;
  min-width: 0;
}
.picture img {
  display: block;
  width: 100%;
  aspect-ratio: 4 / 3;
  object-fit: contain;
  background: #000;
}
.poster {
  display: block;
  width: 100%;
  max-height: 220px;
  object-fit: contain;
  background: #000;
}
.ruler {
  display: block;
  width: 100%;
  height: auto;
  color: var(--muted);
  margin-top: 4px;
}
.ruler text {
  fill: currentColor;
  font-family: var(--mono);
  font-size: 24px;
}
.mark.fault {
  fill: var(--look);
}
.mark.nature {
  fill: var(--muted);
}
.mark:focus-visible {
  outline: 2px solid var(--accent-text);
}
</style>
