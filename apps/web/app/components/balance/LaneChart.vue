<script setup lang="ts">
import { describeCount, describeDurationRange, type WorkSummary } from '@hematine/core'
import { useElementSize } from '@vueuse/core'
import { scaleTime } from 'd3-scale'
import { computed, ref } from 'vue'
import { clock, momentRange } from '~/composables/times'

/** Lanes over time: what runs when, its uncertain end hatched, and the due time when it is near. */
const { work, due } = defineProps<{ work: WorkSummary; due: Date | null }>()

const box = ref<HTMLElement>()
const { width } = useElementSize(box)
const laneHeight = 26
const left = 64

/** When the plan was made: its times count from then. */
const begin = computed(() => new Date(work.at))
// What was begun before all lanes were taken away is still in one.
const lanes = computed(() => Math.max(work.lanes, ...work.bars.map(bar => bar.lane + 1)))
const end = computed(() => work.withDrafts.end)
const span = computed(() => Math.max(60, (end.value?.high ?? 60) * 1.04))
const dueSeconds = computed(() => (due ? (due.getTime() - begin.value.getTime()) / 1000 : null))
const x = computed(() =>
  scaleTime()
    .domain([begin.value, new Date(begin.value.getTime() + span.value * 1000)])
    .range([left, Math.max(left + 1, width.value - 12)]),
)
const at = (seconds: number) => x.value(new Date(begin.value.getTime() + seconds * 1000))
/** Ticks whose words fit before the edge. */
const ticks = computed(() => x.value.ticks(6).filter(tick => x.value(tick) < width.value - 40))
const bars = computed(() =>
  work.bars.map(bar => ({
    key: `${bar.lane}:${bar.from}`,
    y: bar.lane * laneHeight + 4,
    from: at(bar.from),
    to: at(bar.to),
    late: at(bar.late),
    isDraft: bar.isDraft,
    words: bar.jobs === 1 ? bar.name : `${describeCount(bar.jobs)} jobs`,
    title:
      bar.jobs === 1
        ? `${bar.name}, ${bar.specName}: ${describeDurationRange({ expected: bar.to, low: bar.to, high: bar.late })} from now`
        : `${describeCount(bar.jobs)} jobs, ${bar.name} first`,
  })),
)
const height = computed(() => lanes.value * laneHeight + 24)
</script>

<template>
  <figure ref="box" class="chart" aria-label="Lanes over time">
    <svg
      :width="Math.max(0, width)"
      :height="height"
      role="img"
      :aria-label="`${describeCount(work.withDrafts.jobs)} jobs on ${lanes} ${lanes === 1 ? 'lane' : 'lanes'}${end ? `, all done ${momentRange(end, begin)}` : ''}`"
    >
      <defs>
        <pattern id="unsure" width="5" height="5" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
          <path d="M0 0V5" class="hatch" />
        </pattern>
      </defs>
      <g v-for="lane in lanes" :key="lane">
        <text x="12" :y="(lane - 1) * laneHeight + 19" class="label">lane {{ lane }}</text>
        <line
          :x1="left"
          :x2="Math.max(left, width - 12)"
          :y1="lane * laneHeight"
          :y2="lane * laneHeight"
          class="rule"
        />
      </g>
      <g v-for="bar in bars" :key="bar.key">
        <title>{{ bar.title }}</title>
        <rect
          :x="bar.from"
          :y="bar.y"
          :width="Math.max(1, bar.to - bar.from - 1)"
          :height="laneHeight - 8"
          class="bar-shape"
          :class="{ draft: bar.isDraft }"
        />
        <rect
          :x="bar.to - 1"
          :y="bar.y"
          :width="Math.max(0, bar.late - bar.to)"
          :height="laneHeight - 8"
          fill="url(#unsure)"
        />
        <text v-if="bar.to - bar.from > 60" :x="bar.from + 6" :y="bar.y + 13" class="in-bar">
          {{ bar.words.slice(0, Math.floor((bar.to - bar.from - 10) / 7)) }}
        </text>
      </g>
      <g v-for="tick in ticks" :key="tick.getTime()">
        <line :x1="x(tick)" :x2="x(tick)" y1="0" :y2="lanes * laneHeight" class="rule" />
        <text :x="x(tick)" :y="height - 8" class="label number" text-anchor="middle">
          {{ clock(tick, span < 600) }}
        </text>
      </g>
      <line
        v-if="dueSeconds !== null && dueSeconds > 0 && dueSeconds < span"
        :x1="at(dueSeconds)"
        :x2="at(dueSeconds)"
        y1="0"
        :y2="lanes * laneHeight"
        class="due"
      />
    </svg>
    <figcaption class="muted">Solid: released. Outlined: draft. Hatched: the end may come as late as this.</figcaption>
  </figure>
</template>

<style scoped>
.chart {
  flex: none;
  margin: 0;
  border-top: 1px solid var(--line);
  padding-top: 6px;
}
svg {
  display: block;
}
figcaption {
  padding: 0 12px 6px;
  font-size: 12px;
}
.label {
  fill: var(--muted);
  font-size: 12px;
}
.rule {
  stroke: var(--line);
}
.hatch {
  stroke: var(--muted);
  stroke-width: 1.6;
}
.bar-shape {
  fill: rgb(var(--v-theme-surface-variant));
  stroke: var(--muted);
}
.bar-shape.draft {
  fill: rgb(var(--v-theme-surface));
  stroke-dasharray: 3 2;
}
.in-bar {
  fill: rgb(var(--v-theme-on-surface));
  font-size: 11px;
}
.due {
  stroke: var(--look);
  stroke-width: 2;
}
</style>
