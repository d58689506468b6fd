<script setup lang="ts">
import { computed } from 'vue'
import EmptyState from '~/components/common/EmptyState.vue'
import SplitPane from '~/components/common/SplitPane.vue'
import EventFeed from '~/components/shift/EventFeed.vue'
import LaneCard from '~/components/shift/LaneCard.vue'
import WaitingList from '~/components/shift/WaitingList.vue'
import { momentRange } from '~/composables/times'
import { useClock, usePlan } from '~/composables/usePlan'
import { useOrder } from '~/stores/order'

useHead({ title: 'Shift - Hematine' })
const order = useOrder()
const now = useClock()
const plan = usePlan(false)
const unheld = computed(() => [
  ...order.active.filter(job => job.state !== 'placing'),
  ...order.waiting.filter(job => job.state === 'waiting'),
])
const held = computed(() => order.waiting.filter(job => job.state === 'held'))
const failed = computed(() => order.settled.filter(job => job.state === 'failed'))
/** Lanes that stand still, shown as such. */
const idleLanes = computed(() =>
  Math.max(0, order.workers.reduce((sum, worker) => sum + worker.lanes, 0) - order.active.length),
)

async function holdOrResume(): Promise<void> {
  if (unheld.value.length > 0)
    await order.act(
      unheld.value.map(job => job.id),
      'hold',
    )
  else
    await order.act(
      held.value.map(job => job.id),
      'resume',
    )
}
</script>

<template>
  <div class="station">
    <div class="bar">
      <h1>Shift</h1>
      <VBtn
        :color="unheld.length > 0 ? 'primary' : 'secondary'"
        :height="32"
        :disabled="unheld.length + held.length === 0"
        @click="holdOrResume"
        >{{ unheld.length > 0 || held.length === 0 ? 'Hold everything' : `Resume ${held.length} held` }}</VBtn
      >
      <VBtn
        v-if="failed.length > 0"
        @click="
          order.act(
            failed.map(job => job.id),
            'retry',
          )
        "
        >Try {{ failed.length }} failed again</VBtn
      >
      <span class="spacer" />
      <span v-if="order.workers.length === 0" class="look" role="status"
        >No worker is at work: nothing will run until one starts.</span
      >
      <span v-if="plan.end"
        ><span class="muted">all done</span> <span class="number">{{ momentRange(plan.end, now) }}</span></span
      >
      <span
        ><span class="number">{{ order.waiting.length }}</span> <span class="muted">waiting</span></span
      >
    </div>
    <SplitPane name="events" :initial="310">
      <template #first>
        <div class="lanes">
          <LaneCard v-for="job in order.active" :key="job.id" :job="job" :place="plan.places.get(job.id)" :now="now" />
          <div v-for="lane in idleLanes" :key="lane" class="idle muted">
            {{
              order.waiting.some(job => job.state === 'waiting')
                ? 'This lane is about to take the next job'
                : 'This lane is free'
            }}
          </div>
        </div>
        <WaitingList v-if="order.waiting.length > 0" :jobs="order.waiting" :plan="plan" :now="now" />
        <EmptyState v-else title="Nothing waits"
          >{{
            order.drafts.length > 0
              ? `${order.drafts.length} drafts can be released in Balance.`
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
