<script setup lang="ts">
import {
  describeBytes,
  describeBytesRange,
  describeDuration,
  describeDurationRange,
  isWithin,
  type Figure,
  type ForecastOutcome,
} from '@hematine/core'
import { useElementSize } from '@vueuse/core'
import { scaleLog } from 'd3-scale'
import { computed, ref } from 'vue'
import ChartAxes from '~/components/common/ChartAxes.vue'

/** What was forecast against what it came to, both as logarithms: on the line the forecast was right. The list below holds the same by keyboard. */
const { outcomes, figure } = defineProps<{ outcomes: readonly ForecastOutcome[]; figure: Figure }>()
/** Number of the result that is pointed at, here or in the list. */
const at = defineModel<number | null>({ required: true })

const box = ref<HTMLElement>()
const { width, height } = useElementSize(box)
const edge = { left: 62, right: 12, top: 18, bottom: 36 }
/** Ticks that people read, in seconds as clocks have them; bytes have powers of ten. */
const clockTicks: readonly (readonly [seconds: number, says: string])[] = [
  [0.1, '0.1 s'],
  [1, '1 s'],
  [2, '2 s'],
  [5, '5 s'],
  [10, '10 s'],
  [30, '30 s'],
  [60, '1 min'],
  [300, '5 min'],
  [600, '10 min'],
  [1800, '30 min'],
  [3600, '1 h'],
  [10_800, '3 h'],
  [36_000, '10 h'],
  [360_000, '100 h'],
]
const byteTicks = Array.from({ length: 13 }, (_, power) => [10 ** power, describeBytes(10 ** power)] as const)

const points = computed(() =>
  outcomes.flatMap(outcome => {
    const { said, took } = outcome[figure]
    return said.expected > 0 && took > 0 ? [{ outcome, said, took, within: isWithin(outcome[figure]) }] : []
  }),
)
const domain = computed(() => {
  const values = points.value.flatMap(({ said, took }) => [said.expected, took])
  return [Math.min(...values) / 1.3, Math.max(...values) * 1.3] as const
})
const x = computed(() =>
  scaleLog()
    .domain(domain.value)
    .range([edge.left, Math.max(edge.left + 1, width.value - edge.right)]),
)
const y = computed(() =>
  scaleLog()
    .domain(domain.value)
    .range([Math.max(edge.top + 1, height.value - edge.bottom), edge.top]),
)
const ticks = computed(() =>
  (figure === 'seconds' ? clockTicks : byteTicks).filter(
    ([value]) => value >= domain.value[0] && value <= domain.value[1],
  ),
)
const says = (value: number) => (figure === 'seconds' ? describeDuration(value) : describeBytes(value))
const saysRange = (range: ForecastOutcome['seconds']['said']) =>
  figure === 'seconds' ? describeDurationRange(range) : describeBytesRange(range)
const pointed = computed(() => points.value.find(({ outcome }) => outcome.id === at.value) ?? null)
const outside = computed(() => points.value.filter(point => !point.within).length)
/** Where a range begins or ends, held within the picture. */
const held = (value: number) => Math.min(width.value - edge.right, Math.max(edge.left, x.value(Math.max(value, 1e-6))))
</script>

<template>
  <div ref="box" class="chart-box">
    <svg
      v-if="points.length > 0 && width > 0"
      class="chart"
      :width="width"
      :height="height"
      role="img"
      :aria-label="`${figure === 'seconds' ? 'Time' : 'Size'} that was forecast against what it came to, of ${points.length} results; ${outside} lie outside their ranges`"
      @pointerleave="at = null"
    >
      <ChartAxes
        v-bind="{ width, height, edge }"
        :x="ticks.map(([value, name]) => ({ at: x(value), says: name }))"
        :y="ticks.map(([value, name]) => ({ at: y(value), says: name }))"
        x-name="forecast"
        :y-name="figure === 'seconds' ? 'took' : 'is'"
        has-grid
      />
      <line :x1="x(domain[0])" :y1="y(domain[0])" :x2="x(domain[1])" :y2="y(domain[1])" class="right-on" />
      <line
        v-if="pointed"
        :x1="held(pointed.said.low)"
        :x2="held(pointed.said.high)"
        :y1="y(pointed.took)"
        :y2="y(pointed.took)"
        class="range"
      />
      <g
        v-for="point in points"
        :key="point.outcome.id"
        :class="{ outside: !point.within, at: point.outcome.id === at }"
        @pointerenter="at = point.outcome.id"
      >
        <title>
          {{ point.outcome.sourceName }}, {{ point.outcome.specName }}: forecast {{ saysRange(point.said) }},
          {{ figure === 'seconds' ? 'took' : 'is' }} {{ says(point.took) }}
        </title>
        <circle v-if="point.within" :cx="x(point.said.expected)" :cy="y(point.took)" r="3.5" />
        <path v-else :d="`M${x(point.said.expected)} ${y(point.took) - 5.5}l5.5 5.5l-5.5 5.5l-5.5 -5.5z`" />
      </g>
    </svg>
  </div>
</template>

<style scoped>
.right-on {
  stroke: var(--muted);
  stroke-dasharray: 4 3;
}
.range {
  stroke: var(--accent-text);
  stroke-width: 2;
}
circle {
  fill: rgb(var(--v-theme-on-surface));
  fill-opacity: 0.75;
}
.outside path {
  fill: none;
  stroke: var(--look);
  stroke-width: 1.8;
}
.at circle {
  fill: var(--accent-text);
  fill-opacity: 1;
}
.at path {
  fill: var(--accent-text);
}
</style>
