<script setup lang="ts">
import { describeCount, lanesOf, type JobState } from '@hematine/core'
import { computed } from 'vue'
import ByLotToggle from '~/components/common/ByLotToggle.vue'
import EmptyState from '~/components/common/EmptyState.vue'
import SplitPane from '~/components/common/SplitPane.vue'
import DueTimes from '~/components/shift/DueTimes.vue'
import EventFeed from '~/components/shift/EventFeed.vue'
import LaneCard from '~/components/shift/LaneCard.vue'
import WaitingList from '~/components/shift/WaitingList.vue'
import { momentRange } from '~/composables/times'
import { useClock } from '~/composables/useClock'
import { useHoursNow } from '~/composables/useHours'
import { useJobLines } from '~/composables/useJobLines'
import { useNotices } from '~/stores/notices'
import { useOrder } from '~/stores/order'

useHead({ title: 'Shift - Hematine' })
const order = useOrder()
const notices = useNotices()
const now = useClock()
const hours = useHoursNow()
const waiting = useJobLines('shift', ['waiting', 'held'], 'plan')
const at = computed(() => new Date(order.work?.at ?? 0))
const unheldStates: JobState[] = ['waiting', 'queued', 'running']
const unheld = computed(() => unheldStates.reduce((sum, state) => sum + order.jobCounts[state], 0))
const held = computed(() => order.jobCounts.held)
const failed = computed(() => order.jobCounts.failed)
const waitingCount = computed(() => order.jobCounts.waiting + held.value)
const workerLanes = computed(() => order.workers.reduce((sum, worker) => sum + worker.lanes, 0))
/** Lanes that stand still, shown as such: those of processors, then those of graphics devices, which take only what needs them. */
const idleLanes = computed(() => {
  const taken = (ofDevices: boolean) =>
    order.active
      .filter(({ worker }) => deviceWorkers.value.some(({ name }) => name === worker) === ofDevices)
      .reduce((sum, job) => sum + lanesOf(job), 0)
  const ofDevices = deviceWorkers.value.reduce((sum, { lanes }) => sum + lanes, 0)
  return {
    processors: Math.max(0, workerLanes.value - ofDevices - taken(false)),
    devices: Math.max(0, ofDevices - taken(true)),
  }
})
const deviceWorkers = computed(() => order.workers.filter(({ devicesOnly }) => devicesOnly))

async function holdOrResume(): Promise<void> {
  if (unheld.value > 0) await order.actOnAll({ states: unheldStates }, 'hold')
  else await order.actOnAll({ states: ['held'] }, 'resume')
}
</script>

<template>
  <div class="station">
    <div class="bar">
      <h1>Shift</h1>
      <VBtn
        :color="unheld > 0 ? 'primary' : 'secondary'"
        :height="32"
        :disabled="unheld + held === 0"
        @click="holdOrResume"
        >{{ unheld > 0 || held === 0 ? 'Hold everything' : `Resume ${describeCount(held)} held` }}</VBtn
      >
      <VBtn v-if="failed > 0" @click="order.actOnAll({ states: ['failed'] }, 'retry')"
        >Try {{ describeCount(failed) }} failed again</VBtn
      >
      <ByLotToggle v-if="waitingCount > 0" v-model="waiting.byLot.value" otherwise="In their order" />
      <span class="spacer" />
      <span v-if="order.workers.length === 0" class="look" role="status"
        >No worker is at work: nothing will run until one starts.</span
      >
      <span v-else-if="workerLanes === 0" class="look" role="status"
        >No worker has a lane: nothing new is begun until one is given some in Equipment.</span
      >
      <span v-if="order.work?.released.end"
        ><span class="muted">all done</span>{{ ' ' }}
        <span class="number">{{ momentRange(order.work.released.end, at) }}</span></span
      >
      <span
        ><span class="number">{{ describeCount(waitingCount) }}</span> <span class="muted">waiting</span></span
      >
    </div>
    <p v-if="!hours.state.value.isOpen" class="warning muted" role="status">
      Jobs rest until {{ hours.changes.value }}: nothing is begun, and what runs is paused. Working hours are set in
      <NuxtLink to="/equipment">Equipment</NuxtLink>.
      <VBtn variant="text" :height="24" @click="notices.attempt(hours.workOn)">Work on until then</VBtn>
    </p>
    <DueTimes />
    <SplitPane name="events" :initial="310">
      <template #first>
        <div class="lanes">
          <LaneCard v-for="job in order.active" :key="job.id" :job="job" :at="at" />
          <div v-for="lane in idleLanes.processors" :key="lane" class="idle muted">
            {{
              !hours.state.value.isOpen
                ? 'This lane rests'
                : order.jobCounts.waiting > (order.work?.awaitDevices ?? 0)
                  ? 'This lane is about to take the next job'
                  : 'This lane is free'
            }}
          </div>
          <div v-if="idleLanes.devices > 0" class="idle muted">
            {{ idleLanes.devices === 1 ? 'A lane' : `${idleLanes.devices} lanes` }} of
            {{ deviceWorkers.map(({ name }) => name).join(' and ') }}
            {{ idleLanes.devices === 1 ? 'is' : 'are' }} free for jobs that a graphics device encodes
          </div>
        </div>
        <WaitingList v-if="waitingCount > 0 || waiting.total.value > 0" :waiting="waiting" />
        <EmptyState v-else title="Nothing waits"
          >{{
            order.jobCounts.draft > 0
              ? `${describeCount(order.jobCounts.draft)} drafts can be released in Balance.`
              : 'Drafts are released in Balance.'
          }}<br /><VBtn to="/balance">Go to Balance</VBtn></EmptyState
        >
      </template>
      <template #second><EventFeed :now="now" /></template>
    </SplitPane>
  </div>
</template>

<style scoped>
.lanes {
  flex: none;
  border-bottom: 1px solid var(--line);
  max-height: 50%;
  overflow: auto;
}
.idle {
  padding: 14px 12px;
  border-bottom: 1px solid var(--line);
}
</style>
