<script setup lang="ts">
/** What a chart's places mean: words at its edges, and rules across it. It lies within the chart's svg. */
interface Tick {
  at: number
  says: string | number
}

const {
  width,
  height,
  edge,
  x,
  y,
  xName = '',
  yName,
  hasGrid = false,
} = defineProps<{
  width: number
  height: number
  edge: { left: number; right: number; top: number; bottom: number }
  x: readonly Tick[]
  y: readonly Tick[]
  xName?: string
  yName: string
  /** Whether rules run upwards, too. */
  hasGrid?: boolean
}>()

/** Half as wide as the words under a mark become. */
const halfWords = 26
/** Whether the words of a mark, centred on it, would be cut off at the right edge. */
const isAtEdge = ({ at }: Tick) => at > width - halfWords
</script>

<template>
  <g>
    <g v-for="tick in y" :key="`y${tick.says}`">
      <line :x1="edge.left" :x2="Math.max(edge.left, width - edge.right)" :y1="tick.at" :y2="tick.at" class="rule" />
      <text :x="edge.left - 6" :y="tick.at + 4" class="label number" text-anchor="end">{{ tick.says }}</text>
    </g>
    <text x="0" y="10" class="label">{{ yName }}</text>
    <g v-for="tick in x" :key="`x${tick.says}`">
      <line
        :x1="tick.at"
        :x2="tick.at"
        :y1="hasGrid ? edge.top : height - edge.bottom"
        :y2="height - edge.bottom + (hasGrid ? 0 : 4)"
        class="rule"
      />
      <text
        :x="isAtEdge(tick) ? width : tick.at"
        :y="height - edge.bottom + 16"
        class="label number"
        :text-anchor="isAtEdge(tick) ? 'end' : 'middle'"
      >
        {{ tick.says }}
      </text>
    </g>
    <text v-if="xName" :x="width - edge.right" :y="height - 4" class="label" text-anchor="end">{{ xName }}</text>
  </g>
</template>
