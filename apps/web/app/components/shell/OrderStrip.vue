<script setup lang="ts">
import {
  describeBytes,
  describeBytesRange,
  describeCount,
  describeDuration,
  describeDurationRange,
  disksOf,
} from '@hematine/core'
import { mdiPencilOutline, mdiPlus } from '@mdi/js'
import { computed, ref } from 'vue'
import OrderDialog from './OrderDialog.vue'
import ScarceBar from './ScarceBar.vue'
import { nameOfDisk } from '~/composables/disk-names'
import { moment, untilWords } from '~/composables/times'
import { databaseAway } from '~/composables/useCall'
import { useClock } from '~/composables/useClock'
import { useOpenTime } from '~/composables/useHours'
import { useOrder } from '~/stores/order'

const order = useOrder()
const now = useClock()
/** What was released, and drafts behind it. */
const planned = computed(() => order.work?.withDrafts ?? null)
const dialog = ref<'new' | 'change' | null>(null)

const due = computed(() => (order.order?.dueAt ? new Date(order.order.dueAt) : null))
const secondsLeft = computed(() => (due.value ? (due.value.getTime() - now.value.getTime()) / 1000 : null))

/** Of that, when jobs are worked on. */
const time = useOpenTime(() => now.value)
const openLeft = computed(() => (secondsLeft.value === null ? null : time.value.openOf(Math.max(0, secondsLeft.value))))

const deviceTime = computed(() => {
  if (!planned.value || planned.value.jobs === 0) return { part: null, words: 'nothing planned', tone: '' }
  const { seconds: deviceSeconds, unknown, jobs } = planned.value
  if (unknown === jobs) return { part: null, words: `${describeCount(unknown)} not measured yet`, tone: '' }
  if (order.lanes === 0)
    return { part: null, words: `${describeDurationRange(deviceSeconds)}, no lane to do it in`, tone: 'look' }
  const has = openLeft.value === null ? null : openLeft.value * (order.work?.usefulLanes ?? order.lanes)
  const words = `${describeDurationRange(deviceSeconds)}${has === null ? '' : ` of ${describeDuration(has).replace(/ h \d+ min$/, ' h')}`}`
  return {
    part: has === null ? null : deviceSeconds.expected / Math.max(1, has),
    words,
    more: unknown > 0 ? `\u00a0+ ${describeCount(unknown)} unmeasured` : '',
    tone: has !== null && deviceSeconds.high > has ? 'look' : '',
  }
})
/** The delivery volume that is nearest to being full, of those that something is still to be written to; else the one with most room. */
const storage = computed(() => {
  const [scarcest] = order.storage
  if (scarcest) {
    const { bytes, freeBytes, volumeIds } = scarcest
    // There is little room: a disk is told by one of its volumes, and only beside another one.
    const name =
      disksOf(order.deliveryVolumes).length > 1 ? `, ${nameOfDisk(volumeIds.slice(0, 1), order.deliveryVolumes)}` : ''
    return {
      part: bytes.expected / Math.max(1, freeBytes),
      words: `${describeBytesRange(bytes)} of ${describeBytes(freeBytes)}`,
      more: name,
      tone: bytes.high > freeBytes ? 'look' : '',
    }
  }
  const free = order.deliveryVolumes.flatMap(volume => volume.freeBytes ?? [])
  if (free.length === 0) return { part: null, words: 'no delivery volume', tone: 'look' }
  return { part: 0, words: `${describeBytes(Math.max(...free))} free`, tone: '' }
})
const timeLeft = computed(() => {
  if (!due.value) return { part: null, words: 'no due time', tone: '' }
  const end = planned.value?.end ?? null
  const late = end !== null && new Date(order.work!.at).getTime() + end.high * 1000 > due.value.getTime()
  return {
    part: end && secondsLeft.value! > 0 ? end.expected / secondsLeft.value! : null,
    words: untilWords(due.value, now.value),
    tone: late || secondsLeft.value! < 0 ? 'look' : '',
  }
})
</script>

<template>
  <header class="strip">
    <VSelect
      v-if="order.order"
      class="choice"
      :model-value="order.order.id"
      :items="order.orders"
      item-value="id"
      :item-title="entry => `${entry.code}  ${entry.name}`"
      aria-label="Order"
      hide-details
      @update:model-value="id => order.choose(id)"
    />
    <VBtn
      v-if="order.order"
      :icon="mdiPencilOutline"
      size="28"
      variant="text"
      aria-label="Change this order"
      @click="dialog = 'change'"
    />
    <VBtn :icon="mdiPlus" size="28" variant="text" aria-label="New order" @click="dialog = 'new'" />
    <span v-if="due" class="due"
      >due <span class="number">{{ moment(due, now) }}</span></span
    >
    <span class="spacer" />
    <span v-if="!order.connected" class="look" role="status">Connection lost, trying again</span>
    <span v-else-if="databaseAway" class="look" role="status">The database is being started again</span>
    <ScarceBar label="device time" v-bind="deviceTime" />
    <ScarceBar label="storage" v-bind="storage" />
    <ScarceBar label="time left" class="left" v-bind="timeLeft" />
    <OrderDialog v-if="dialog" :existing="dialog === 'change' ? order.order : null" @close="dialog = null" />
  </header>
</template>

<style scoped>
.strip {
  display: flex;
  align-items: center;
  gap: 6px;
  height: 44px;
  padding: 0 12px;
  border-bottom: 1px solid var(--line);
  flex: none;
}
.choice {
  max-width: 260px;
  flex: none;
}
.left {
  flex: none;
}
.due {
  white-space: nowrap;
  margin-left: 6px;
}
</style>
