<script setup lang="ts">
import { describeBytes, describeBytesRange, describeDurationRange, type JobRecord } from '@hematine/core'
import { computed, ref } from 'vue'
import DraftDetail from '~/components/balance/DraftDetail.vue'
import DraftTable from '~/components/balance/DraftTable.vue'
import LaneChart from '~/components/balance/LaneChart.vue'
import AskDialog from '~/components/common/AskDialog.vue'
import EmptyState from '~/components/common/EmptyState.vue'
import SplitPane from '~/components/common/SplitPane.vue'
import { momentRange } from '~/composables/times'
import { useClock, usePlan } from '~/composables/usePlan'
import { useOrder } from '~/stores/order'

useHead({ title: 'Balance - Hematine' })
const order = useOrder()
const now = useClock()
const plan = usePlan(true)
const route = useRoute()
const router = useRouter()
const selected = ref<number[]>([])

const open = computed<number | null>({
  get: () => Number(route.query.job) || null,
  set: id => {
    void router.replace({ query: id === null ? {} : { job: id } })
  },
})
const openJob = computed(() => order.drafts.find(job => job.id === open.value) ?? null)
const chosen = computed(() => {
  const some = order.drafts.filter(job => selected.value.includes(job.id))
  return some.length > 0 ? some : order.drafts
})
const free = computed(() => order.deliveryVolumes[0]?.freeBytes ?? null)
const tooLarge = computed(() => free.value !== null && plan.value.bytes.high > free.value)
const due = computed(() => (order.order?.dueAt ? new Date(order.order.dueAt) : null))
const late = computed(
  () =>
    due.value !== null &&
    plan.value.end !== null &&
    now.value.getTime() + plan.value.end.high * 1000 > due.value.getTime(),
)

/** Jobs of which nothing is known beforehand: they are released only when that is said once more. */
const unmeasured = computed(() => chosen.value.filter(job => job.sampleState === 'failed'))
const asking = ref(false)

function askOrRelease(): void {
  if (unmeasured.value.length > 0) asking.value = true
  else void release(chosen.value)
}

async function release(jobs: readonly JobRecord[]): Promise<void> {
  asking.value = false
  const ids = jobs.map(job => job.id)
  if (ids.length === 0) return
  // Asked before: the drafts may be gone from the list before the answer is here.
  const wasAll = ids.length === order.drafts.length
  selected.value = []
  if ((await order.act(ids, 'release')) && wasAll) await router.push('/shift')
}

async function remove(): Promise<void> {
  const ids = chosen.value.map(job => job.id)
  selected.value = []
  await order.act(ids, 'remove')
}
</script>

<template>
  <div class="station">
    <div class="bar">
      <h1>Balance</h1>
      <VBtn color="primary" :disabled="chosen.length === 0" @click="askOrRelease"
        >Release {{ chosen.length }} {{ chosen.length === 1 ? 'job' : 'jobs' }}</VBtn
      >
      <VBtn :disabled="selected.length === 0" variant="text" @click="remove"
        >Remove {{ selected.length }} selected</VBtn
      >
      <span class="spacer" />
      <span v-if="plan.end" class="sum"
        ><span class="muted">all done</span>{{ ' ' }}
        <span class="number" :class="{ look: late }">{{ momentRange(plan.end, now) }}</span></span
      >
      <span v-if="plan.places.size > 0" class="sum"
        ><span class="muted">device time</span>{{ ' ' }}
        <span class="number">{{ describeDurationRange(plan.deviceSeconds) }}</span></span
      >
      <span v-if="plan.bytes.expected > 0" class="sum"
        ><span class="muted">results</span>{{ ' ' }}
        <span class="number" :class="{ look: tooLarge }">{{ describeBytesRange(plan.bytes) }}</span></span
      >
      <span v-if="plan.unknown > 0" class="sum look"
        >{{ plan.places.size > 0 ? 'without ' : '' }}{{ plan.unknown }} not measured yet</span
      >
    </div>
    <p v-if="tooLarge" class="warning look" role="status">
      The results may not fit: {{ describeBytes(free!) }} are free on the delivery volume. Leave some out, choose a
      smaller spec, or make room.
    </p>
    <p v-if="late" class="warning look" role="status">
      The end may come after the due time. Leave some out, choose a quicker spec, or add a worker.
    </p>
    <template v-if="order.drafts.length > 0">
      <SplitPane name="draft" :initial="370">
        <template #first
          ><DraftTable v-model:open="open" v-model:selected="selected" :jobs="order.drafts" :plan="plan" :now="now"
        /></template>
        <template #second>
          <DraftDetail v-if="openJob" :key="openJob.id" :job="openJob" />
          <EmptyState v-else title="No job is open"
            >Choose a row to see what will be done to the source, and what its forecast was measured from.</EmptyState
          >
        </template>
      </SplitPane>
    </template>
    <EmptyState v-else title="No drafts to weigh">
      {{
        plan.jobs.length > 0
          ? `${plan.jobs.length} jobs are released and run in Shift; the chart below shows when.`
          : 'Select sources in Intake and draft jobs for them. Each is measured on this machine before you decide.'
      }}
      <br /><VBtn to="/intake">Go to Intake</VBtn>
    </EmptyState>
    <AskDialog v-model="asking" title="Release without a forecast?" :width="560">
      <p>
        {{ unmeasured.length === 1 ? 'One job' : `${unmeasured.length} jobs` }} could not be measured, so nobody knows
        how long {{ unmeasured.length === 1 ? 'it takes' : 'they take' }} or how large the result will be, and
        {{ unmeasured.length === 1 ? 'it' : 'they' }} may fail for the same reason:
      </p>
      <ul>
        <li v-for="job in unmeasured.slice(0, 5)" :key="job.id">
          <strong>{{ job.sourceName }}</strong>, {{ job.specName }}: {{ job.sampleReason }}
        </li>
      </ul>
      <template #buttons>
        <VBtn variant="text" @click="asking = false">Cancel</VBtn>
        <VBtn
          :disabled="chosen.length === unmeasured.length"
          @click="release(chosen.filter(job => job.sampleState !== 'failed'))"
          >Release the {{ chosen.length - unmeasured.length }} measured</VBtn
        >
        <VBtn color="primary" @click="release(chosen)">Release all {{ chosen.length }}</VBtn>
      </template>
    </AskDialog>
    <LaneChart v-if="plan.places.size > 0" :plan="plan" :now="now" :due="due" :lanes="order.lanes" />
  </div>
</template>

<style scoped>
.sum {
  white-space: nowrap;
}
.warning {
  margin: 0;
  padding: 5px 12px;
  border-bottom: 1px solid var(--line);
}
</style>
