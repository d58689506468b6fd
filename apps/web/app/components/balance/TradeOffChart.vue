<script setup lang="ts">
import { describeBytes, describeCount, describeDuration, type TradeOff } from '@hematine/core'
import { useElementSize } from '@vueuse/core'
import { scaleLinear, scaleLog, scaleUtc } from 'd3-scale'
import { computed, ref } from 'vue'
import ChartAxes from '~/components/common/ChartAxes.vue'

/** Choices of which none is better in everything: device time against size, the more alike the larger. */
const { points, chosen, most } = defineProps<{
  points: readonly TradeOff[]
  /** What is chosen now. */
  chosen: { seconds: number; bytes: number }
  /** Most bytes that there may be; null without a limit. */
  most: number | null
}>()
const emit = defineEmits<{ choose: [point: TradeOff] }>()

const box = ref<HTMLElement>()
const { width } = useElementSize(box)
const height = 260
const edge = { left: 58, right: 14, top: 18, bottom: 36 }
const [smallest, largest] = [2.5, 8]

const byLikeness = computed(() => [...points].sort((a, b) => a.likeness - b.likeness))
/** From so many times the least on, a scale runs by factors. */
const wide = 6
const steps = [1, 2, 5]
/** Round numbers on a scale that runs by factors, no more than a few of them. */
function factorTicks(low: number, high: number): number[] {
  const decades = Array.from({ length: 16 }, (_, place) => 10 ** place)
  const within = (of: readonly number[]) =>
    decades.flatMap(decade => of.map(step => step * decade)).filter(tick => tick >= low && tick <= high)
  const all = within(steps)
  return all.length <= 5 ? all : within([1])
}
/** @param ticksOf round numbers between two */
function scaleOf(
  values: readonly number[],
  range: [number, number],
  ticksOf: (low: number, high: number) => readonly number[],
) {
  const [low, high] = [Math.min(...values), Math.max(...values)]
  if (low > 0 && high > wide * low) {
    const scale = scaleLog()
      .domain([low / 1.3, high * 1.3])
      .range(range)
    return { at: (value: number) => scale(Math.max(low / 1.3, value)), ticks: factorTicks(low / 1.3, high * 1.3) }
  }
  const room = Math.max((high - low) * 0.08, high * 0.02)
  const [from, to] = [Math.max(0, low - room), high + room]
  const scale = scaleLinear().domain([from, to]).range(range)
  return { at: (value: number) => scale(value), ticks: ticksOf(from, to) }
}
const xScale = computed(() =>
  scaleOf(
    [...points.map(({ seconds }) => seconds), chosen.seconds],
    [edge.left, Math.max(edge.left + 1, width.value - edge.right)],
    (low, high) =>
      scaleUtc()
        .domain([new Date(low * 1000), new Date(high * 1000)])
        .ticks(2)
        .map(tick => tick.getTime() / 1000)
        // Their words are long.
        .filter((_, index, all) => index % Math.ceil(all.length / 3) === 0),
  ),
)
const yScale = computed(() =>
  scaleOf([...points.map(({ bytes }) => bytes), chosen.bytes], [height - edge.bottom, edge.top], (low, high) =>
    scaleLinear().domain([low, high]).ticks(4),
  ),
)
const x = (seconds: number) => xScale.value.at(seconds)
const y = (bytes: number) => yScale.value.at(bytes)
const radius = computed(() => {
  const likenesses = byLikeness.value.map(({ likeness }) => likeness)
  return scaleLinear()
    .domain([likenesses[0] ?? 0, (likenesses.at(-1) ?? 0) + 1e-9])
    .range([smallest, largest])
})
const limit = computed(() => {
  if (most === null) return null
  const at = y(most)
  return at > edge.top && at < height - edge.bottom ? at : null
})

/** Place of the one that is looked at, by likeness. */
const at = ref(0)
const place = computed({
  get: () => Math.min(at.value, byLikeness.value.length - 1),
  set: (value: number) => (at.value = value),
})
const looked = computed(() => byLikeness.value[place.value] ?? null)
const words = ({ seconds, bytes, likeness }: TradeOff) =>
  `${describeDuration(seconds)}, ${describeBytes(bytes)}, ${likeness.toFixed(1)} dB`
</script>

<template>
  <div ref="box" class="trade-off">
    <svg
      class="chart"
      :width="Math.max(0, width)"
      :height="height"
      role="img"
      :aria-label="`Device time against size of ${describeCount(points.length)} choices`"
    >
      <ChartAxes
        v-bind="{ width, height, edge }"
        :x="xScale.ticks.map(tick => ({ at: x(tick), says: tick === 0 ? '0' : describeDuration(tick) }))"
        :y="yScale.ticks.map(tick => ({ at: y(tick), says: tick === 0 ? '0' : describeBytes(tick) }))"
        x-name="device time"
        y-name="size"
      />
      <g v-if="limit !== null">
        <line :x1="edge.left" :x2="width - edge.right" :y1="limit" :y2="limit" class="limit" />
        <text :x="width - edge.right" :y="limit - 4" class="label" text-anchor="end">room</text>
      </g>
      <circle
        v-for="(point, index) in byLikeness"
        :key="point.specKeys.join()"
        :cx="x(point.seconds)"
        :cy="y(point.bytes)"
        :r="radius(point.likeness)"
        class="point"
        :class="{ looked: index === place }"
        @click="place = index"
      >
        <title>{{ words(point) }}</title>
      </circle>
      <g class="chosen">
        <title>What is chosen</title>
        <line :x1="x(chosen.seconds)" :x2="x(chosen.seconds)" :y1="edge.top" :y2="height - edge.bottom" />
        <line :x1="edge.left" :x2="width - edge.right" :y1="y(chosen.bytes)" :y2="y(chosen.bytes)" />
      </g>
    </svg>
    <label class="slider">
      <span>from least to most alike</span>
      <input v-model.number="place" type="range" min="0" :max="Math.max(0, byLikeness.length - 1)" step="1" />
    </label>
    <p v-if="looked" class="looked-at">
      <span class="number" role="status">{{ words(looked) }}</span>
      <VBtn :height="26" @click="emit('choose', looked)">Choose so</VBtn>
    </p>
    <p class="muted">
      Each point is a way for every lot, with which no other is quicker, smaller and more alike at once; larger points
      are more alike. The cross is what is chosen.
    </p>
  </div>
</template>

<style scoped>
.trade-off {
  display: flex;
  flex-direction: column;
  gap: 6px;
}
p {
  margin: 0;
}
.point {
  fill: var(--muted);
  fill-opacity: 0.55;
  stroke: none;
  cursor: pointer;
}
.point.looked {
  fill: var(--accent);
  fill-opacity: 1;
}
.limit {
  stroke: rgb(var(--v-theme-on-surface));
  stroke-dasharray: 4 3;
}
.chosen line {
  stroke: var(--accent);
  stroke-width: 1;
  opacity: 0.7;
  pointer-events: none;
}
.label {
  fill: var(--muted);
  font-size: 12px;
}
.slider {
  display: flex;
  align-items: center;
  gap: 10px;
}
.slider input {
  flex: 1;
}
.looked-at {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  justify-content: space-between;
  gap: 10px;
}
</style>
