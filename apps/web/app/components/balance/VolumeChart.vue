<script setup lang="ts">
import { describeBytes } from '@hematine/core'
import { scaleLinear } from 'd3-scale'
import { computed, ref } from 'vue'
import { axisEdge, useTimeAxis } from '~/composables/time-axis'
import type { CallAnswer } from '~/composables/useCall'

/** How a delivery volume fills as jobs end, and its room as a line; below the lanes, on their time axis. */
const { begin, span, volume, name } = defineProps<{
  begin: Date
  /** Seconds that are shown. */
  span: number
  volume: CallAnswer<'lookAhead'>['volumes'][number]
  name: string
}>()

const box = ref<HTMLElement>()
const { width, at } = useTimeAxis(
  box,
  () => begin,
  () => span,
)
const height = 44
const edge = { top: 6, bottom: 2 }
const most = computed(() => volume.steps.at(-1)?.bytes ?? { expected: 0, low: 0, high: 0 })
/** The room is shown where it is not far above all that is written. */
const hasLine = computed(() => volume.freeBytes !== null && volume.freeBytes < most.value.high * 4)
const y = computed(() =>
  scaleLinear()
    .domain([0, Math.max(1, most.value.high, hasLine.value ? volume.freeBytes! : 0)])
    .range([height - edge.bottom, edge.top]),
)
/** As a stair: a result lies there when its job ends. */
const stair = (bound: 'low' | 'expected' | 'high') =>
  volume.steps.map(({ seconds, bytes }) => `H${at(seconds).toFixed(1)}V${y.value(bytes[bound]).toFixed(1)}`).join('') +
  `H${at(span).toFixed(1)}`
const start = computed(() => `M${axisEdge.left} ${y.value(0).toFixed(1)}`)
const area = computed(() => `${start.value}${stair('expected')}V${y.value(0).toFixed(1)}Z`)
</script>

<template>
  <div ref="box">
    <svg
      class="chart"
      :width="Math.max(0, width)"
      :height="height"
      role="img"
      :aria-label="`${name}: ${describeBytes(most.expected)} written by the end${volume.freeBytes === null ? '' : `, ${describeBytes(volume.freeBytes)} free`}`"
    >
      <text x="12" :y="height / 2 + 4" class="label">storage</text>
      <path :d="area" class="area" />
      <path :d="start + stair('high')" class="high" />
      <line
        v-if="hasLine"
        :x1="axisEdge.left"
        :x2="Math.max(axisEdge.left, width - axisEdge.right)"
        :y1="y(volume.freeBytes!)"
        :y2="y(volume.freeBytes!)"
        class="room"
      />
      <line
        :x1="axisEdge.left"
        :x2="Math.max(axisEdge.left, width - axisEdge.right)"
        :y1="height - edge.bottom"
        :y2="height - edge.bottom"
        class="rule"
      />
      <text :x="axisEdge.left + 6" :y="hasLine && y(volume.freeBytes!) < 18 ? 24 : 14" class="label over">
        {{ name }}, {{ volume.freeBytes === null ? 'room not known' : `${describeBytes(volume.freeBytes)} free` }}
      </text>
    </svg>
  </div>
</template>

<style scoped>
.area {
  fill: rgb(var(--v-theme-surface-variant));
}
.high {
  fill: none;
  stroke: var(--muted);
  stroke-dasharray: 3 2;
}
.room {
  stroke: var(--look);
  stroke-width: 2;
}
svg.chart .over {
  paint-order: stroke;
  stroke: rgb(var(--v-theme-background));
  stroke-width: 3px;
}
</style>
