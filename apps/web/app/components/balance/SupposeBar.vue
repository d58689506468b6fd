<script setup lang="ts">
import { mostLanesMore, type RushWork, type Supposed } from '@hematine/core'
import { computed } from 'vue'
import CountedAhead from '~/components/balance/CountedAhead.vue'
import NumberField from '~/components/common/NumberField.vue'
import { instantOf, localMoment } from '~/composables/times'
import { useOrder } from '~/stores/order'

/** What is supposed of the whole: lanes, hours, the order of the jobs, work that comes in between. */
const { lanes, deviceLanes, hasDeviceWork, announced, isAwaited } = defineProps<{
  /** Of processors. */
  lanes: number
  /** Of graphics devices, and whether any job needs one. */
  deviceLanes: number
  hasDeviceWork: boolean
  /** Items that are not here yet and planned with a spec. */
  announced: number
  /** Whether any of them is expected at some time. */
  isAwaited: boolean
}>()
const order = useOrder()
const supposed = defineModel<Supposed>({ required: true })
const withDrafts = defineModel<boolean>('withDrafts', { required: true })
const withAnnounced = defineModel<boolean>('withAnnounced', { required: true })

/** A number of lanes that can be supposed. @param there those that there are */
function suppositionOf(key: 'lanesMore' | 'deviceLanesMore', there: () => number) {
  const least = computed(() => Math.max(0, there() - mostLanesMore))
  const most = computed(() => there() + mostLanesMore)
  const value = computed({
    get: () => there() + supposed.value[key],
    set: (wanted: number | null) => {
      if (wanted === null) return
      const within = Math.min(most.value, Math.max(least.value, Math.round(wanted)))
      supposed.value = { ...supposed.value, [key]: within - there() }
    },
  })
  return { least, most, value }
}
const { least: fewestLanes, most: mostLanes, value: supposedLanes } = suppositionOf('lanesMore', () => lanes)
const {
  least: fewestDeviceLanes,
  most: mostDeviceLanes,
  value: supposedDeviceLanes,
} = suppositionOf('deviceLanesMore', () => deviceLanes)

const hour = 3600
/** Rush work that nobody has said anything of yet. */
const usualRush = () => ({
  jobs: 1,
  seconds: 4 * hour,
  dueAt: new Date(Date.now() + 8 * hour * 1000).toISOString(),
})
const rush = computed(() => supposed.value.rush)
function supposeRush(change: Partial<RushWork>): void {
  supposed.value = { ...supposed.value, rush: { ...(rush.value ?? usualRush()), ...change } }
}
/** What a field of a number holds, within its limits; null where that is none. */
function numberIn(event: Event, least: number, most: number): number | null {
  const value = (event.target as HTMLInputElement).valueAsNumber
  return Number.isFinite(value) ? Math.min(most, Math.max(least, value)) : null
}
function supposeJobs(event: Event): void {
  const jobs = numberIn(event, 1, 1000)
  if (jobs !== null) supposeRush({ jobs: Math.round(jobs) })
}
function supposeHours(event: Event): void {
  const hours = numberIn(event, 0.1, 8760)
  if (hours !== null) supposeRush({ seconds: hours * hour })
}
function withoutRush(): void {
  supposed.value = { ...supposed.value, rush: null }
}
</script>

<template>
  <div class="suppose" role="group" aria-label="What if">
    <strong>What if</strong>
    <NumberField v-model="supposedLanes" label="lanes" :least="fewestLanes" :most="mostLanes" />
    <NumberField
      v-if="deviceLanes > 0 || hasDeviceWork"
      v-model="supposedDeviceLanes"
      label="of graphics devices"
      :least="fewestDeviceLanes"
      :most="mostDeviceLanes"
    />
    <label class="tick"
      ><input
        type="checkbox"
        :checked="supposed.byDueTimes"
        @change="supposed = { ...supposed, byDueTimes: !supposed.byDueTimes }"
      />
      jobs by due times</label
    >
    <label v-if="order.hours.hours" class="tick"
      ><input
        type="checkbox"
        :checked="supposed.atAnyTime"
        @change="supposed = { ...supposed, atAnyTime: !supposed.atAnyTime }"
      />
      at any time</label
    >
    <label v-if="isAwaited && withAnnounced" class="tick"
      ><input
        type="checkbox"
        :checked="supposed.materialHere"
        @change="supposed = { ...supposed, materialHere: !supposed.materialHere }"
      />
      announced here at once</label
    >
    <VBtn v-if="!rush" variant="text" :height="26" @click="supposeRush({})">Rush work comes</VBtn>
    <span v-else class="rush">
      <label
        >rush jobs <input class="plain" type="number" min="1" max="1000" :value="rush.jobs" @change="supposeJobs"
      /></label>
      <label
        >device hours in all
        <input
          class="plain"
          type="number"
          min="0.1"
          max="8760"
          step="0.1"
          :value="Math.round((rush.seconds / hour) * 100) / 100"
          @change="supposeHours"
      /></label>
      <label
        >due
        <input
          class="plain"
          type="datetime-local"
          max="9999-12-31T23:59"
          :value="localMoment(rush.dueAt)"
          @change="supposeRush({ dueAt: instantOf(($event.target as HTMLInputElement).value) })"
      /></label>
      <VBtn variant="text" :height="26" @click="withoutRush">No rush work</VBtn>
    </span>
    <span class="spacer" />
    <CountedAhead v-model:with-drafts="withDrafts" v-model:with-announced="withAnnounced" :announced="announced" />
    <slot />
  </div>
</template>

<style scoped>
.suppose {
  display: flex;
  align-items: center;
  gap: 4px 14px;
  flex-wrap: wrap;
  min-height: 36px;
  padding: 3px 12px;
  border-bottom: 1px solid var(--line);
}
.rush {
  display: flex;
  align-items: center;
  gap: 4px 12px;
  flex-wrap: wrap;
}
label {
  display: flex;
  align-items: center;
  gap: 6px;
  min-height: 24px;
}
:deep(.number-field) input {
  width: 62px;
}
input[type='number'] {
  width: 70px;
}
</style>
