<script setup lang="ts">
import {
  describeBytes,
  describeClock,
  describeDuration,
  type JobProgress,
  type PlannedJobRecord,
  type WorkStage,
} from '@hematine/core'
import { computed } from 'vue'
import JobActions from './JobActions.vue'
import MiddleName from '~/components/common/MiddleName.vue'
import StateMark from '~/components/common/StateMark.vue'
import { momentRange } from '~/composables/times'
import { useHoursNow } from '~/composables/useHours'
import { useOrder } from '~/stores/order'

/** What a lane does now, and how it goes against what was forecast. */
const { job, at } = defineProps<{ job: PlannedJobRecord; at: Date }>()

const order = useOrder()
const progress = computed(() => job.progress)
const segments = computed(() => progress.value?.segments)
const percent = computed(() => (progress.value?.part ?? 0) * 100)
/** With one machine there is no doubt that this lane is one of those that make room for a measurement. */
const isPaused = computed(
  () =>
    job.state === 'running' &&
    new Set(order.workers.map(({ host }) => host)).size === 1 &&
    order.work?.isMeasuring === true,
)
/** Out of working hours jobs are paused, but not what is finished and only put in its place. */
const { state: hours } = useHoursNow()
const isResting = computed(() => job.state === 'running' && !hours.value.isOpen)
const stageWords: Record<WorkStage, string> = {
  search: 'finding the setting for its quality',
  'first pass': 'first pass: what its frames need',
  encode: 'encoding',
  join: 'joining its segments',
  check: 'checking',
}
function segmentWords({ done, total, awaitsSound, lanes }: NonNullable<JobProgress['segments']>): string {
  return done === total && awaitsSound
    ? `encoding sound, all ${total} segments done`
    : `${done} of ${total} segments done, ${lanes === 1 ? 'one lane' : `${lanes} lanes`}`
}
const words = computed(() =>
  job.state === 'queued'
    ? 'about to begin'
    : isPaused.value
      ? 'paused for a measurement'
      : isResting.value
        ? 'resting'
        : job.state === 'placing'
          ? 'checked, being put in its place'
          : !progress.value
            ? 'starting'
            : segments.value && progress.value.stage === 'encode'
              ? segmentWords(segments.value)
              : stageWords[progress.value.stage],
)
</script>

<template>
  <article class="lane" :aria-label="`${job.sourceName}, ${job.specName}`">
    <div class="line">
      <StateMark :state="job.state" />
      <strong class="name"><MiddleName :name="job.sourceName" /></strong>
      <span class="muted nowrap">{{ job.specName }}</span>
      <span class="spacer" />
      <span class="muted nowrap">{{ job.worker }}</span>
      <JobActions :job="job" />
    </div>
    <VProgressLinear
      :model-value="percent"
      height="4"
      color="primary"
      :aria-label="`${job.sourceName}: ${percent.toFixed(0)} percent`"
    />
    <div class="line figures">
      <span class="number percent">{{ percent.toFixed(1) }} %</span>
      <span class="word">{{ words }}</span>
      <template v-if="progress">
        <span v-if="progress.sound" class="number"
          >{{ describeClock(progress.sound.secondsDone) }} of {{ describeClock(progress.sound.secondsTotal) }}</span
        >
        <span v-else-if="progress.stage !== 'search'" class="number"
          >frame {{ progress.framesDone }} of {{ progress.framesTotal }}</span
        >
        <span v-if="progress.framesDone > 0" class="number">{{ progress.framesPerSecond.toFixed(1) }} fps</span>
        <span v-if="progress.timesRealTime > 0" class="number">{{ progress.timesRealTime.toFixed(2) }}x real time</span>
        <span v-if="progress.bytesWritten > 0 && progress.stage !== 'search'" class="number"
          >{{ describeBytes(progress.bytesWritten) }} so far</span
        >
        <span class="spacer" />
        <span v-if="progress.secondsLeft !== null" class="number"
          >{{ describeDuration(progress.secondsLeft) }} left</span
        >
        <span v-if="job.end" class="number muted">{{ momentRange(job.end, at) }}</span>
      </template>
    </div>
  </article>
</template>

<style scoped>
.lane {
  padding: 6px 12px 8px;
  border-bottom: 1px solid var(--line);
}
.line {
  display: flex;
  align-items: center;
  gap: 12px;
  min-height: 28px;
}
.figures {
  min-height: 22px;
  padding-top: 4px;
  flex-wrap: wrap;
  row-gap: 0;
}
.percent {
  width: 52px;
}
.word {
  min-width: 66px;
}
.nowrap {
  white-space: nowrap;
}
.name {
  min-width: 0;
  display: flex;
}
</style>
