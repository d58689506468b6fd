<script setup lang="ts">
import type { LaneBar } from '@hematine/core'
import { computed } from 'vue'
import LaneChart from '~/components/balance/LaneChart.vue'
import { dueMarks, spanOf, spanWith } from '~/composables/time-axis'
import type { RenderAnswer } from '~/composables/useRenderOrTreat'

/** Two ways to the same frames over time: when each shot is rendered, and when it is worked on here. */
const { answer, specNames, order } = defineProps<{
  answer: RenderAnswer
  /** Of the tests. */
  specNames: Record<'full' | 'reduced', string>
  order: { code: string; dueAt: string | null }
}>()

const begin = computed(() => new Date(answer.at))
const marks = computed(() => dueMarks([order], begin.value))
const span = computed(() => spanWith(marks.value, Math.max(spanOf(answer.full.end), spanOf(answer.reduced.end))))
/** Shots of a way that are told apart; more would lie over each other. */
const mostShots = 120
const shots = computed(() =>
  (['full', 'reduced'] as const).flatMap((way, lane) => {
    const every = Math.ceil(answer[way].shots.length / mostShots)
    const last = answer[way].shots.length - 1
    return answer[way].shots.flatMap((shot, index) => {
      if (index % every !== every - 1 && index !== last) return []
      return [{ ...shot, lane, way, number: index + 1, late: index === last ? answer[way].end.high : shot.end }]
    })
  }),
)
const bars = computed(() =>
  shots.value.map(({ lane, way, number, start, end, late }): LaneBar => ({
    ...{ lane, orderId: null, from: start, to: end, late, isDraft: true, jobs: 1 },
    ...{ name: `Shot ${number}`, specName: specNames[way] },
  })),
)
const arrivals = computed(() => shots.value.map(({ lane, rendered }) => ({ lane, seconds: rendered })))
</script>

<template>
  <LaneChart
    :begin="begin"
    :lanes="2"
    :names="['wanted', 'reduced']"
    :bars="bars"
    :arrivals="arrivals"
    :span="span"
    :marks="marks"
    label="When the shots are rendered and done, either way"
  />
</template>
