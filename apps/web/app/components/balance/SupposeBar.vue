<script setup lang="ts">
import { computed, ref } from 'vue'
import NumberField from '~/components/common/NumberField.vue'
import type { Supposed } from '~/composables/supposed-words'
import { instantOf, localMoment } from '~/composables/times'

/** What is supposed of the whole: lanes, the order of the jobs, work that comes in between. */
const { lanes } = defineProps<{ lanes: number }>()
const supposed = defineModel<Supposed>({ required: true })
const withDrafts = defineModel<boolean>('withDrafts', { required: true })

const supposedLanes = computed({
  get: () => lanes + supposed.value.lanesMore,
  set: (value: number | null) => {
    if (value !== null) supposed.value = { ...supposed.value, lanesMore: Math.min(64, Math.max(0, value)) - lanes }
  },
})
const hours = ref<number | null>(4)
const jobs = ref<number | null>(1)
const due = ref(localMoment(new Date(Date.now() + 8 * 3600_000).toISOString()))
const hasRush = computed(() => supposed.value.rush !== null)

function supposeRush(): void {
  const rush = {
    jobs: Math.min(1000, Math.max(1, Math.round(jobs.value ?? 1))),
    seconds: Math.min(8760, Math.max(0.01, hours.value ?? 4)) * 3600,
    dueAt: instantOf(due.value),
  }
  supposed.value = { ...supposed.value, rush }
}
function withoutRush(): void {
  supposed.value = { ...supposed.value, rush: null }
}
function change(): void {
  if (hasRush.value) supposeRush()
}
</script>

<template>
  <div class="suppose" role="group" aria-label="What if">
    <strong>What if</strong>
    <NumberField v-model="supposedLanes" label="lanes" :least="0" :most="64" />
    <label class="tick"
      ><input
        type="checkbox"
        :checked="supposed.byDueTimes"
        @change="supposed = { ...supposed, byDueTimes: !supposed.byDueTimes }"
      />
      jobs by due times</label
    >
    <VBtn v-if="!hasRush" variant="text" :height="26" @click="supposeRush">Rush work comes</VBtn>
    <span v-else class="rush">
      <NumberField v-model="jobs" label="rush jobs" :least="1" :most="1000" @change="change" />
      <NumberField v-model="hours" label="device hours in all" :least="0.1" :most="8760" :step="0.5" @change="change" />
      <label>due <input v-model="due" type="datetime-local" max="9999-12-31T23:59" @change="change" /></label>
      <VBtn variant="text" :height="26" @click="withoutRush">No rush work</VBtn>
    </span>
    <span class="spacer" />
    <label class="tick"><input v-model="withDrafts" type="checkbox" /> count drafts</label>
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
input[type='datetime-local'] {
  border: 1px solid var(--muted);
  border-radius: 2px;
  padding: 1px 6px;
  font: inherit;
  color: inherit;
  background: transparent;
}
</style>
