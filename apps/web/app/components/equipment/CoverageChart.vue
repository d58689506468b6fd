<script setup lang="ts">
import { coverageOver, coverageWindow, type Figure, type ForecastOutcome } from '@hematine/core'
import { useElementSize } from '@vueuse/core'
import { scaleLinear } from 'd3-scale'
import { computed, ref } from 'vue'
import ChartAxes from '~/components/common/ChartAxes.vue'

/** How many of each run of results lay within their ranges, as work went on. */
const { outcomes, figure, before } = defineProps<{
  outcomes: readonly ForecastOutcome[]
  figure: Figure
  /** Older results, that are not in the list. */
  before: number
}>()

const box = ref<HTMLElement>()
const { width, height } = useElementSize(box)
const edge = { left: 40, right: 12, top: 18, bottom: 36 }
/** What ranges are meant to hold, and how near to it is near enough. */
const aim = { of: 0.9, low: 0.85, high: 0.95 }

const coverage = computed(() => coverageOver(outcomes, figure))
const x = computed(() =>
  scaleLinear()
    .domain([coverageWindow, Math.max(coverageWindow + 1, outcomes.length)])
    .range([edge.left, Math.max(edge.left + 1, width.value - edge.right)]),
)
const y = computed(() =>
  scaleLinear()
    .domain([Math.min(0.5, ...coverage.value.map(run => run.within)), 1])
    .range([Math.max(edge.top + 1, height.value - edge.bottom), edge.top]),
)
const path = computed(() =>
  coverage.value
    .map(
      ({ last, within }, index) =>
        `${index === 0 ? 'M' : 'L'}${x.value(last).toFixed(1)} ${y.value(within).toFixed(1)}`,
    )
    .join(''),
)
const now = computed(() => coverage.value.at(-1) ?? null)
const percent = (part: number) => `${Math.round(part * 100)} %`
</script>

<template>
  <div ref="box" class="chart-box">
    <p v-if="!now" class="muted wait">
      Shown from {{ coverageWindow }} results on: how many of each {{ coverageWindow }} lay within their ranges.
    </p>
    <svg
      v-else-if="width > 0"
      class="chart"
      :width="width"
      :height="height"
      role="img"
      :aria-label="`Of the last ${coverageWindow} results ${percent(now.within)} lay within their ranges; 90 % are meant to`"
    >
      <rect
        :x="edge.left"
        :width="Math.max(0, width - edge.left - edge.right)"
        :y="y(aim.high)"
        :height="Math.max(0, y(aim.low) - y(aim.high))"
        class="near"
      />
      <ChartAxes
        v-bind="{ width, height, edge }"
        :x="
          x
            .ticks(5)
            .filter(Number.isInteger)
            .map(tick => ({ at: x(tick), says: tick + before }))
        "
        :y="y.ticks(4).map(tick => ({ at: y(tick), says: percent(tick) }))"
        x-name="results so far"
        :y-name="`within their ranges, of ${coverageWindow} results each; meant to be 90 %`"
      />
      <line :x1="edge.left" :x2="width - edge.right" :y1="y(aim.of)" :y2="y(aim.of)" class="aim" />
      <path :d="path" class="line" />
      <circle :cx="x(now.last)" :cy="y(now.within)" r="3.5" />
    </svg>
  </div>
</template>

<style scoped>
.wait {
  margin: 24px 0 0;
}
.near {
  fill: var(--raised);
}
.aim {
  stroke: var(--good);
  stroke-dasharray: 4 3;
}
.line {
  fill: none;
  stroke: rgb(var(--v-theme-on-surface));
  stroke-width: 1.5;
}
circle {
  fill: rgb(var(--v-theme-on-surface));
}
</style>
