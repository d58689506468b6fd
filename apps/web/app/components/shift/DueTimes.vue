<script setup lang="ts">
import { describeCount, describeTimes, type Range } from '@hematine/core'
import { useIntervalFn, useThrottleFn } from '@vueuse/core'
import { computed, ref, shallowRef, watch } from 'vue'
import AskDialog from '~/components/common/AskDialog.vue'
import TakenOrder from '~/components/common/TakenOrder.vue'
import { aboutWords, latenessInAll, latenessWords, moment, momentRange } from '~/composables/times'
import { call, type CallAnswer } from '~/composables/useCall'
import { useOrderOfJobs } from '~/composables/useOrderOfJobs'
import { useOrder } from '~/stores/order'

/** Says which orders end after their due times as the jobs wait, and offers an order of the jobs in which less is late. */
const order = useOrder()
const answer = shallowRef<CallAnswer<'suggestOrder'> | null>(null)
const isOpen = ref(false)
const jobs = useOrderOfJobs()

/** Each look takes the server up to a second of work; jobs change all the time. */
const lookMilliseconds = 5000
const lookAgainMilliseconds = 30_000

async function look(): Promise<void> {
  const id = order.order?.id
  if (id === undefined || isOpen.value) return
  answer.value = await call('suggestOrder', { query: { orderId: id } }).catch(() => answer.value)
}
const lookSoon = useThrottleFn(look, lookMilliseconds, true)
// Time goes on, and an answer of the server may be some seconds old.
useIntervalFn(() => void lookSoon(), lookAgainMilliseconds)
watch([() => order.jobChange, () => order.lanes, () => order.order?.id, () => order.orders], () => void lookSoon(), {
  immediate: true,
})

const at = computed(() => new Date(answer.value?.at ?? 0))
const late = computed(() => answer.value?.orders.filter(entry => entry.now.lateSeconds > 0) ?? [])
const names = computed(() => {
  const [first, ...others] = late.value
  return others.length === 0 ? `${first!.code} ends` : `${first!.code} and ${describeCount(others.length)} more end`
})
const offer = computed(() => {
  const { isBetter, suggested, orders } = answer.value!
  if (!isBetter) return null
  const stillLate = orders.filter(entry => entry.suggested.lateSeconds > 0).length
  return suggested.lateSeconds > 0
    ? `In another order of the jobs it is about ${latenessInAll(suggested, stillLate)}.`
    : 'In another order of the jobs nothing is late.'
})
const relief = computed(() => {
  const { lanesMore, isBetter, suggested } = answer.value!
  if (isBetter && suggested.lateSeconds === 0) return null
  if (lanesMore === null)
    return 'No number of lanes would bring all in: there are too few cores, or a single job, or what is begun, takes too long.'
  return `${describeCount(lanesMore)} more ${lanesMore === 1 ? 'lane' : 'lanes'} would bring all in.`
})
const best = computed(() => {
  const { bound, suggested, orders } = answer.value!
  if (bound.countedSeconds >= suggested.countedSeconds - 1) return 'No order of the jobs is better.'
  if (bound.countedSeconds === 0) return null
  const counted = orders.some(entry => entry.lateWeight > 1) ? ', as orders count' : ''
  return `No order of the jobs is less late than ${aboutWords(bound.countedSeconds)} in all${counted}.`
})

const ends = (range: Range | null) => (range ? momentRange(range, at.value) : '')

async function take(): Promise<void> {
  const { before, after } = answer.value!
  await jobs.take(before, after, 'due times')
  isOpen.value = false
  await look()
}
</script>

<template>
  <p v-if="late.length > 0" class="due look" role="status">
    <span
      >As the jobs wait, {{ names }} after {{ late.length === 1 ? 'its due time' : 'their due times' }}, by about
      {{ latenessInAll(answer!.now, late.length) }}. {{ offer ?? best }} {{ offer ? '' : relief }}</span
    >
    <VBtn :height="26" @click="isOpen = true">{{ offer ? 'Look at that order' : 'By orders' }}</VBtn>
  </p>
  <TakenOrder :jobs="jobs" because="by due times" @done="look" />
  <AskDialog v-model="isOpen" title="Orders and their due times" :width="860">
    <template v-if="answer">
      <table class="rows">
        <thead>
          <tr>
            <th scope="col">Order</th>
            <th scope="col" class="end">Waiting</th>
            <th scope="col">Due</th>
            <th scope="col">Ends as jobs wait</th>
            <th scope="col">Late</th>
            <template v-if="answer.isBetter">
              <th scope="col">Ends as suggested</th>
              <th scope="col">Late</th>
            </template>
          </tr>
        </thead>
        <tbody>
          <tr v-for="entry in answer.orders" :key="entry.id">
            <td class="name">
              <span class="number">{{ entry.code }}</span> <span class="muted">{{ entry.name }}</span>
              <span v-if="entry.lateWeight > 1" class="second muted"
                >lateness counts {{ describeTimes(entry.lateWeight) }}</span
              >
            </td>
            <td class="end number">{{ describeCount(entry.waiting) }}</td>
            <td class="number">{{ entry.dueAt ? moment(new Date(entry.dueAt), at) : 'none' }}</td>
            <td class="number">{{ ends(entry.now.end) }}</td>
            <td class="number" :class="{ look: entry.now.lateSeconds > 0 }">
              {{ latenessWords(entry.now.lateSeconds) }}
            </td>
            <template v-if="answer.isBetter">
              <td class="number">{{ ends(entry.suggested.end) }}</td>
              <td class="number" :class="{ look: entry.suggested.lateSeconds > 0 }">
                {{ latenessWords(entry.suggested.lateSeconds) }}
              </td>
            </template>
          </tr>
        </tbody>
      </table>
      <p>
        Each end lies within its range nine times out of ten; lateness is counted from the middle. {{ best }}
        {{ relief }}
        <template v-if="answer.unknown > 0">
          {{ describeCount(answer.unknown) }} {{ answer.unknown === 1 ? 'job' : 'jobs' }} of which nothing is known yet
          {{ answer.unknown === 1 ? 'takes' : 'take' }} no time here, and {{ answer.unknown === 1 ? 'stays' : 'stay' }}
          behind the job before.
        </template>
        Held jobs and drafts are not in it.
      </p>
    </template>
    <template #buttons>
      <VBtn
        variant="text"
        @click="
          () => {
            isOpen = false
          }
        "
        >{{ answer?.isBetter ? 'Cancel' : 'Close' }}</VBtn
      >
      <VBtn v-if="answer?.isBetter" color="primary" :loading="jobs.busy.value" @click="take"
        >Begin {{ describeCount(answer.waiting) }} jobs in that order</VBtn
      >
    </template>
  </AskDialog>
</template>

<style scoped>
.due {
  display: flex;
  align-items: center;
  gap: 12px;
  margin: 0;
  padding: 4px 12px;
  border-bottom: 1px solid var(--line);
}
.due > span {
  flex: 0 1 auto;
}
.name {
  max-width: 240px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
</style>
