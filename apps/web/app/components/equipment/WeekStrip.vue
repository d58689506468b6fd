<script setup lang="ts">
import { describeHours, weekdays, workedInWeek, type WorkingHours } from '@hematine/core'
import { computed } from 'vue'

/** The week from Monday to Sunday, with the hours in which jobs are worked on filled in. */
const { hours } = defineProps<{ hours: Pick<WorkingHours, 'spans'> }>()

const minutesOfDay = 1440
const minutesOfWeek = 7 * minutesOfDay
const open = computed(() => workedInWeek(hours))
const percent = (minutes: number) => `${(minutes / minutesOfWeek) * 100}%`
const worked = computed(() => open.value.reduce((sum, { from, to }) => sum + to - from, 0) / 60)
</script>

<template>
  <div class="week" role="img" :aria-label="`${describeHours(hours)}: ${worked.toFixed(0)} hours a week`">
    <svg width="100%" height="22" aria-hidden="true">
      <rect
        v-for="span in open"
        :key="span.from"
        :x="percent(span.from)"
        :width="percent(span.to - span.from)"
        y="2"
        height="18"
        class="open"
      />
      <line
        v-for="(day, index) in weekdays"
        :key="day.number"
        :x1="percent(index * minutesOfDay)"
        :x2="percent(index * minutesOfDay)"
        y1="0"
        y2="22"
        class="rule"
      />
    </svg>
    <div class="days muted" aria-hidden="true">
      <span v-for="day in weekdays" :key="day.number">{{ day.name }}</span>
    </div>
  </div>
</template>

<style scoped>
.week {
  max-width: 840px;
  margin-top: 6px;
}
svg {
  display: block;
  background: rgb(var(--v-theme-surface));
  border: 1px solid var(--line);
}
.open {
  fill: var(--muted);
}
.rule {
  stroke: var(--line);
}
.days {
  display: grid;
  grid-template-columns: repeat(7, 1fr);
  font-size: 12px;
}
</style>
