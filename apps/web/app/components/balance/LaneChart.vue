<script setup lang="ts">
import { describeCount, describeDurationRange, type LaneBar } from '@hematine/core'
import { computed, ref } from 'vue'
import { axisEdge, useTimeAxis, type AxisMark } from '~/composables/time-axis'

/** Lanes over time: what runs when, its uncertain end hatched, and due times that are near. */
const {
  begin,
  lanes,
  bars,
  span,
  marks,
  rests = [],
  names = [],
  arrivals = [],
  label,
  nameOf = null,
} = defineProps<{
  /** When the plan was made: its times count from then, in seconds. */
  begin: Date
  lanes: number
  bars: readonly LaneBar[]
  /** Seconds that are shown. */
  span: number
  /** What is due when; nothing is written where it does not say what. */
  marks: readonly AxisMark[]
  /** When jobs rest, in seconds. */
  rests?: readonly { from: number; to: number }[]
  /** Of the lanes, where they are not told by their numbers. */
  names?: readonly string[]
  /** When something comes to a lane, in seconds. */
  arrivals?: readonly { lane: number; seconds: number }[]
  label: string
  /** What is written into a bar, before what it is of; nothing where that alone says it. */
  nameOf?: ((bar: LaneBar) => string) | null
}>()

const box = ref<HTMLElement>()
const { width, at, ticks } = useTimeAxis(
  box,
  () => begin,
  () => span,
)
const { left, right } = axisEdge
const mostLetters = 18
/** Of a due time, in pixels. */
const widthOfWords = 90
/** Many lanes are drawn low. */
const laneHeight = computed(() => (lanes > 6 ? 16 : 26))
const top = computed(() => (shown.value.some(({ words }) => words.length > 0) ? 16 : 0))
/** Marks whose words would lie over those of the one before are told by that. */
const shown = computed(() => {
  const there: { seconds: number; words: string[] }[] = []
  for (const { seconds, says } of marks.toSorted((a, b) => a.seconds - b.seconds)) {
    if (seconds <= 0 || seconds >= span) continue
    const last = there.findLast(mark => mark.words.length > 0)
    const isNear = last && at(seconds) - at(last.seconds) < widthOfWords
    if (isNear && says) last.words.push(says)
    there.push({ seconds, words: !says || isNear ? [] : [says] })
  }
  return there
})
const nameOfLane = (lane: number) => names[lane - 1] ?? `lane ${lane}`
/** As much of a name as fits beside the chart. */
const shortened = (name: string) => (name.length > mostLetters ? `${name.slice(0, mostLetters - 1)}…` : name)
const rows = computed(() => Math.max(lanes, ...bars.map(bar => bar.lane + 1)))
const drawn = computed(() =>
  bars.map(bar => {
    const [from, to] = [at(bar.from), at(bar.to)]
    const what = bar.jobs === 1 ? bar.name : `${describeCount(bar.jobs)} jobs`
    const name = nameOf?.(bar)
    return {
      key: `${bar.lane}:${bar.from}`,
      y: top.value + bar.lane * laneHeight.value + 4,
      from,
      to,
      late: at(bar.late),
      isDraft: bar.isDraft,
      words: (name ? `${name} ${what}` : what).slice(0, Math.floor((to - from - 10) / 7)),
      title:
        (name ? `${name}: ` : '') +
        (bar.jobs === 1
          ? `${bar.name}, ${bar.specName}: ${describeDurationRange({ expected: bar.to, low: bar.to, high: bar.late })} from now`
          : `${describeCount(bar.jobs)} jobs, ${bar.name} first`),
    }
  }),
)
const bottom = computed(() => top.value + rows.value * laneHeight.value)
</script>

<template>
  <div ref="box">
    <svg :width="Math.max(0, width)" :height="bottom + 24" role="img" :aria-label="label">
      <defs>
        <pattern id="unsure" width="5" height="5" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
          <path d="M0 0V5" class="hatch" />
        </pattern>
      </defs>
      <rect
        v-for="rest in rests"
        :key="rest.from"
        :x="at(rest.from)"
        :width="Math.max(0, at(rest.to) - at(rest.from))"
        :y="top"
        :height="bottom - top"
        class="rest"
      />
      <g v-for="lane in rows" :key="lane">
        <text x="12" :y="top + (lane - 0.5) * laneHeight + 5" class="label">
          <title>{{ nameOfLane(lane) }}</title>
          {{ shortened(nameOfLane(lane)) }}
        </text>
        <line
          :x1="left"
          :x2="Math.max(left, width - right)"
          :y1="top + lane * laneHeight"
          :y2="top + lane * laneHeight"
          class="rule"
        />
      </g>
      <line
        v-for="arrival in arrivals"
        :key="`${arrival.lane}:${arrival.seconds}`"
        :x1="at(arrival.seconds)"
        :x2="at(arrival.seconds)"
        :y1="top + arrival.lane * laneHeight"
        :y2="top + arrival.lane * laneHeight + 4"
        class="arrival"
      />
      <g v-for="bar in drawn" :key="bar.key">
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
        <text v-if="bar.to - bar.from > 60 && laneHeight > 20" :x="bar.from + 6" :y="bar.y + 13" class="in-bar">
          {{ bar.words }}
        </text>
      </g>
      <g v-for="tick in ticks" :key="tick.at">
        <line :x1="tick.at" :x2="tick.at" :y1="top" :y2="bottom" class="rule" />
        <text :x="tick.at" :y="bottom + 16" class="label number" text-anchor="middle">{{ tick.says }}</text>
      </g>
      <g v-for="(mark, place) in shown" :key="place">
        <line :x1="at(mark.seconds)" :x2="at(mark.seconds)" :y1="top" :y2="bottom" class="due" />
        <text
          v-if="mark.words.length > 0"
          :x="at(mark.seconds)"
          y="12"
          class="label"
          :text-anchor="at(mark.seconds) > width - widthOfWords ? 'end' : 'start'"
        >
          {{ mark.words.join(', ') }} due
        </text>
      </g>
    </svg>
  </div>
</template>

<style scoped>
svg {
  display: block;
}
.label {
  fill: var(--muted);
  font-size: 12px;
}
.rule {
  stroke: var(--line);
}
.rest {
  fill: var(--raised);
}
.hatch {
  stroke: var(--muted);
  stroke-width: 1.6;
}
.arrival {
  stroke: var(--muted);
  stroke-width: 2;
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
