<script setup lang="ts">
import { curveAt, describeBytes, valueUnder, type CurvePoint, type CurveRecord } from '@hematine/core'
import { useElementSize } from '@vueuse/core'
import { scaleLinear } from 'd3-scale'
import { computed, ref } from 'vue'
import ChartAxes from '~/components/common/ChartAxes.vue'

/** Size against likeness, as measured; the chosen value can be dragged along the curve. The slider below it does the same by keyboard. */
const { curve } = defineProps<{ curve: CurveRecord }>()
const value = defineModel<number>({ required: true })

const box = ref<HTMLElement>()
const { width } = useElementSize(box)
const height = 176
const edge = { left: 40, right: 10, top: 14, bottom: 34 }
/** A line between measured points is drawn in so many pieces. */
const pieces = 60

const withErrors = (points: readonly CurvePoint[]) => points.filter(point => point.xpsnr !== null)
const own = computed(() => withErrors(curve.points))
const shown = computed(() => [...own.value, ...curve.others.flatMap(other => withErrors(other.points))])
const x = computed(() =>
  scaleLinear()
    .domain([0, Math.max(...shown.value.map(point => point.bytes.expected)) * 1.06])
    .range([edge.left, Math.max(edge.left + 1, width.value - edge.right)]),
)
const y = computed(() => {
  const decibels = shown.value.map(point => point.xpsnr!)
  return scaleLinear()
    .domain([Math.min(...decibels) - 1, Math.max(...decibels) + 1])
    .range([height - edge.bottom, edge.top])
})

/** A curve through measured points; in between, as their sizes and likenesses run from one to the next. */
function pathOf(points: readonly CurvePoint[]): string {
  const measured = withErrors(points)
  if (measured.length < 2) return ''
  const [first, last] = [measured[0]!.value, measured.at(-1)!.value]
  return Array.from({ length: pieces + 1 }, (_, index) => {
    const { bytes, xpsnr } = curveAt(measured, first + ((last - first) * index) / pieces)
    return `${index === 0 ? 'M' : 'L'}${x.value(bytes.expected).toFixed(1)} ${y.value(xpsnr!).toFixed(1)}`
  }).join('')
}

const others = computed(() =>
  curve.others.flatMap(other => {
    const worst = withErrors(other.points).at(-1)
    return worst ? [{ ...other, path: pathOf(other.points), worst }] : []
  }),
)
const knee = computed(() => own.value.find(point => point.value === curve.kneeValue) ?? null)
const chosen = computed(() => curveAt(curve.points, value.value))
const [best, worst] = [computed(() => curve.points[0]!.value), computed(() => curve.points.at(-1)!.value)]

const svg = ref<SVGSVGElement>()
let dragging = false
function drag(event: PointerEvent): void {
  if (event.type === 'pointerdown') {
    dragging = true
    svg.value!.setPointerCapture(event.pointerId)
  }
  if (!dragging) return
  const bytes = x.value.invert(event.clientX - svg.value!.getBoundingClientRect().left)
  value.value = valueUnder(curve.points, curve.scale, Math.max(1, bytes)) ?? worst.value
}
function drop(): void {
  dragging = false
}
</script>

<template>
  <div ref="box">
    <p v-if="own.length < 2" class="muted">
      The result is identical to the treated picture at almost every quality that was measured: the smallest one will
      do.
    </p>
    <svg
      v-else
      ref="svg"
      class="chart"
      :width="Math.max(0, width)"
      :height="height"
      role="img"
      :aria-label="`Size of the result against likeness in ${curve.codec}, measured at ${curve.points.length} qualities`"
      @pointerdown="drag"
      @pointermove="drag"
      @pointerup="drop"
      @pointercancel="drop"
    >
      <ChartAxes
        v-bind="{ width, height, edge }"
        :x="x.ticks(4).map(tick => ({ at: x(tick), says: tick === 0 ? '0' : describeBytes(tick) }))"
        :y="y.ticks(4).map(tick => ({ at: y(tick), says: tick }))"
        y-name="dB XPSNR"
      />
      <line
        v-if="curve.capBytes !== null && x(curve.capBytes) < width - edge.right"
        :x1="x(curve.capBytes)"
        :x2="x(curve.capBytes)"
        :y1="edge.top"
        :y2="height - edge.bottom"
        class="cap"
      />
      <g v-for="other in others" :key="other.jobId">
        <path :d="other.path" class="line other" />
        <text :x="x(other.worst.bytes.expected) + 6" :y="y(other.worst.xpsnr!) + 4" class="label">
          {{ other.specName }}
        </text>
      </g>
      <path :d="pathOf(curve.points)" class="line" />
      <g v-for="point in own" :key="point.value">
        <title>
          {{ point.value }}: {{ describeBytes(point.bytes.low) }} to {{ describeBytes(point.bytes.high) }},
          {{ point.xpsnr!.toFixed(1) }} dB
        </title>
        <line
          :x1="x(point.bytes.low)"
          :x2="Math.min(width - edge.right, x(point.bytes.high))"
          :y1="y(point.xpsnr!)"
          :y2="y(point.xpsnr!)"
          class="range"
        />
        <circle :cx="x(point.bytes.expected)" :cy="y(point.xpsnr!)" r="3" class="point" />
      </g>
      <g v-if="knee">
        <title>Knee: from here on, more bytes bring less than they do on the whole curve</title>
        <path :d="`M${x(knee.bytes.expected)} ${y(knee.xpsnr!) - 7}l5 7l-5 7l-5 -7z`" class="knee" />
        <text :x="x(knee.bytes.expected) + 9" :y="y(knee.xpsnr!) + 14" class="label">knee</text>
      </g>
      <g v-if="chosen.xpsnr !== null" class="chosen">
        <line :x1="x(chosen.bytes.expected)" :x2="x(chosen.bytes.expected)" :y1="edge.top" :y2="height - edge.bottom" />
        <circle :cx="x(chosen.bytes.expected)" :cy="y(chosen.xpsnr)" r="5" />
      </g>
    </svg>
    <label class="slider">
      <span>{{ curve.codec }} quality <span class="muted">(lower is better)</span></span>
      <input v-model.number="value" type="range" :min="best" :max="worst" :step="curve.scale.step" />
      <span class="number">{{ value }}</span>
    </label>
  </div>
</template>

<style scoped>
svg {
  touch-action: none;
  cursor: ew-resize;
}
.line {
  fill: none;
  stroke: rgb(var(--v-theme-on-surface));
  stroke-width: 1.5;
}
.line.other {
  stroke: var(--muted);
  stroke-dasharray: 4 3;
}
.range {
  stroke: var(--muted);
  stroke-width: 1;
}
.point {
  fill: rgb(var(--v-theme-on-surface));
}
.knee {
  fill: none;
  stroke: var(--look);
  stroke-width: 1.5;
}
.cap {
  stroke: var(--look);
  stroke-width: 1.5;
  stroke-dasharray: 2 2;
}
.chosen line {
  stroke: var(--accent-text);
}
.chosen circle {
  fill: var(--accent-text);
}
.slider {
  display: grid;
  grid-template-columns: auto 1fr 34px;
  align-items: center;
  gap: 8px;
  min-height: 28px;
}
.slider input {
  min-width: 0;
  accent-color: var(--accent-text);
}
.slider .number {
  text-align: right;
}
</style>
