<script setup lang="ts">
import type { JobDetail } from '@hematine/core'
import { computed, ref, watch } from 'vue'
import EmptyState from '~/components/common/EmptyState.vue'
import SplitPane from '~/components/common/SplitPane.vue'
import CheckPanel from '~/components/handover/CheckPanel.vue'
import CompareViewer from '~/components/handover/CompareViewer.vue'
import SoundCompare from '~/components/handover/SoundCompare.vue'
import { askingOrder } from '~/composables/askingOrder'
import { call, CallProblem } from '~/composables/useCall'

const route = useRoute()
const id = computed(() => Number(route.params.id))
const job = ref<JobDetail | null>(null)
const problem = ref<string | null>(null)
/** What both sides of a comparison are, by the kind of the result. */
const pictures = computed(() => {
  const { treatment, check } = job.value!
  return treatment.result !== null && check && check.measurement.video !== null
    ? { treatment, measured: check.measurement }
    : null
})
const sound = computed(() => {
  const { treatment, check } = job.value!
  return treatment.result === null && check && check.measurement.video === null
    ? { treatment, measured: check.measurement }
    : null
})
useHead({ title: () => `${job.value?.outputPath ?? 'Comparison'} - Hematine` })

const asking = askingOrder()
watch(
  id,
  async wanted => {
    job.value = null
    const counts = asking.ask()
    try {
      const answer = await call('readJob', { parameters: { id: wanted } })
      if (!counts()) return
      problem.value = answer.state === 'done' ? null : 'This job has no finished file to compare.'
      job.value = answer
    } catch (error) {
      if (!counts()) return
      problem.value = error instanceof CallProblem ? error.message : 'The job could not be read.'
    }
  },
  { immediate: true },
)
</script>

<template>
  <div class="station">
    <div class="bar">
      <VBtn to="/handover" variant="text">Back to Handover</VBtn>
      <h1 class="ellipsis">{{ job?.outputPath ?? '' }}</h1>
    </div>
    <EmptyState v-if="problem" title="Nothing to compare">{{ problem }}</EmptyState>
    <SplitPane v-else-if="job" name="compare" :initial="340" :least="240">
      <template #first>
        <CompareViewer v-if="pictures" :id="job.id" :key="job.id" v-bind="pictures" />
        <SoundCompare v-else-if="sound" :key="`sound-${job.id}`" :job="job" v-bind="sound" />
      </template>
      <template #second><CheckPanel :job="job" brief /></template>
    </SplitPane>
    <div v-else class="empty" role="status">Reading the job</div>
  </div>
</template>
