<script setup lang="ts">
import { weekdays, WorkingHours, type WorkingSpan } from '@hematine/core'
import { computed, ref } from 'vue'
import WeekStrip from './WeekStrip.vue'
import AskDialog from '~/components/common/AskDialog.vue'
import { useClosing } from '~/composables/useClosing'
import { useNotices } from '~/stores/notices'
import { useOrder } from '~/stores/order'

/** Hours of the week, row by row, and what they come to. */
const emit = defineEmits<{ close: [] }>()
const order = useOrder()
const notices = useNotices()
const open = useClosing(() => emit('close'))
/** The nights, and the whole of days without work beside it: for who has not said yet. */
const usual: WorkingSpan[] = [
  { days: [1, 2, 3, 4, 5], from: '19:00', to: '07:00' },
  { days: [6, 7], from: '00:00', to: '00:00' },
]
const mostRows = 14
const rows = ref<WorkingSpan[]>((order.hours.hours?.spans ?? usual).map(span => ({ ...span, days: [...span.days] })))
const zone = order.hours.hours?.zone ?? Intl.DateTimeFormat().resolvedOptions().timeZone
const read = computed(() => WorkingHours.safeParse({ zone, spans: rows.value }))
const wrong = computed(() => {
  const [issue] = read.value.error?.issues ?? []
  if (!issue) return null
  const [, row, field] = issue.path
  const where =
    typeof row === 'number' ? `Row ${row + 1}${field === 'from' || field === 'to' ? `, ${field},` : ''}` : 'The hours'
  return `${where} ${issue.message}.`
})

function toggle(row: WorkingSpan, day: number): void {
  row.days = row.days.includes(day) ? row.days.filter(other => other !== day) : [...row.days, day].sort()
}
async function save(): Promise<void> {
  if (!read.value.success) return
  const hours = read.value.data
  const saved = await notices.attempt(async () => {
    await order.changeHours({ hours, workOnUntil: null })
    return true
  })
  if (saved) emit('close')
}
</script>

<template>
  <AskDialog v-model="open" title="Hours in which jobs are worked on" :width="720">
    <div v-for="(row, place) in rows" :key="place" class="row" role="group" :aria-label="`Hours ${place + 1}`">
      <label v-for="day in weekdays" :key="day.number" class="day"
        ><input type="checkbox" :checked="row.days.includes(day.number)" @change="toggle(row, day.number)" />
        {{ day.name }}</label
      >
      <label class="time">from <input v-model.trim="row.from" class="plain number" size="5" maxlength="5" /></label>
      <label class="time">to <input v-model.trim="row.to" class="plain number" size="5" maxlength="5" /></label>
      <VBtn
        variant="text"
        :height="24"
        :disabled="rows.length === 1"
        :aria-label="`Remove hours ${place + 1}`"
        @click="rows.splice(place, 1)"
        >Remove</VBtn
      >
    </div>
    <div>
      <VBtn
        variant="text"
        :height="24"
        :disabled="rows.length >= mostRows"
        @click="rows.push({ days: [], from: '19:00', to: '07:00' })"
        >More hours</VBtn
      >
    </div>
    <p v-if="wrong" class="bad" role="alert">{{ wrong }}</p>
    <WeekStrip v-else :hours="{ spans: rows }" />
    <p class="muted">
      Hours that end before they begin end on the next day, and those from 00:00 to 00:00 last all day. Times are by the
      clock of {{ zone }}.
    </p>
    <template #buttons>
      <VBtn variant="text" @click="emit('close')">Cancel</VBtn>
      <VBtn color="primary" :disabled="!read.success" @click="save">Work in these hours</VBtn>
    </template>
  </AskDialog>
</template>

<style scoped>
.row {
  display: flex;
  align-items: center;
  gap: 4px 12px;
  flex-wrap: wrap;
}
.day,
.time {
  display: flex;
  align-items: center;
  gap: 4px;
  min-height: 24px;
}
.time input {
  width: 64px;
}
p {
  margin: 0;
}
</style>
