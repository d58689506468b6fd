<script setup lang="ts">
import { mostDated, weekdays, WorkingHours, type WorkingSpan } from '@hematine/core'
import { computed, nextTick, ref, useTemplateRef } from 'vue'
import WeekStrip from './WeekStrip.vue'
import AskDialog from '~/components/common/AskDialog.vue'
import { useClosing } from '~/composables/useClosing'
import { useNotices } from '~/stores/notices'
import { useOrder } from '~/stores/order'

/** Hours of the week and of dates, row by row, and what the week comes to. */
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
/** What holds on dates in place of the week, as it is typed. */
interface DatedRow {
  first: string
  last: string
  kind: 'rest' | 'all day' | 'hours'
  from: string
  to: string
}
const kinds: Record<DatedRow['kind'], string> = { rest: 'rest', 'all day': 'work all day', hours: 'work in hours' }
const midnight = '00:00'
const dated = ref<DatedRow[]>(
  (order.hours.hours?.dates ?? []).map(({ first, last, times }) => ({
    ...{ first, last, from: times?.from ?? '19:00', to: times?.to ?? '07:00' },
    kind: times === null ? 'rest' : times.from === midnight && times.to === midnight ? 'all day' : 'hours',
  })),
)
const dates = computed(() =>
  dated.value.map(({ first, last, kind, from, to }) => ({
    ...{ first, last: last === '' ? first : last },
    times: kind === 'rest' ? null : kind === 'all day' ? { from: midnight, to: midnight } : { from, to },
  })),
)
const zone = order.hours.hours?.zone ?? Intl.DateTimeFormat().resolvedOptions().timeZone
const read = computed(() => WorkingHours.safeParse({ zone, spans: rows.value, dates: dates.value }))
const wrong = computed(() => {
  const [issue] = read.value.error?.issues ?? []
  if (!issue) return null
  const [list, row, ...field] = issue.path
  const name = list === 'dates' ? 'Dates' : 'Row'
  const part = fieldNames[String(field.at(-1))]
  return `${typeof row === 'number' ? `${name} ${row + 1}${part ? `, ${part},` : ''}` : 'The hours'} ${issue.message}.`
})
const fieldNames: Record<string, string> = { from: 'from', to: 'to', first: 'first day', last: 'last day' }

const firsts = useTemplateRef<HTMLInputElement[]>('firsts')
async function addDates(): Promise<void> {
  dated.value.push({ first: '', last: '', kind: 'rest', from: '08:00', to: '12:00' })
  await nextTick()
  firsts.value?.at(-1)?.focus()
}

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
  <AskDialog v-model="open" title="Hours in which jobs are worked on" :width="800">
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
    <h3 v-if="dated.length > 0">On these dates, in place of the week</h3>
    <div v-for="(row, place) in dated" :key="place" class="row" role="group" :aria-label="`Dates ${place + 1}`">
      <label class="time"
        >first day
        <input
          ref="firsts"
          v-model.trim="row.first"
          class="plain number date"
          size="10"
          maxlength="10"
          placeholder="2026-12-24"
      /></label>
      <label class="time"
        >last day
        <input v-model.trim="row.last" class="plain number date" size="10" maxlength="10" placeholder="the same"
      /></label>
      <select v-model="row.kind" :aria-label="`What is done on dates ${place + 1}`">
        <option v-for="(name, kind) in kinds" :key="kind" :value="kind">{{ name }}</option>
      </select>
      <template v-if="row.kind === 'hours'">
        <label class="time">from <input v-model.trim="row.from" class="plain number" size="5" maxlength="5" /></label>
        <label class="time">to <input v-model.trim="row.to" class="plain number" size="5" maxlength="5" /></label>
      </template>
      <VBtn variant="text" :height="24" :aria-label="`Remove dates ${place + 1}`" @click="dated.splice(place, 1)"
        >Remove</VBtn
      >
    </div>
    <div>
      <VBtn variant="text" :height="24" :disabled="dated.length >= mostDated" @click="addDates"
        >Holidays and other dates</VBtn
      >
    </div>
    <p v-if="wrong" class="bad" role="alert">{{ wrong }}</p>
    <WeekStrip v-else :hours="{ spans: rows }" />
    <p class="muted">
      Hours that end before they begin end on the next day, and those from 00:00 to 00:00 last all day. A date goes from
      midnight to midnight. Times are by the clock of {{ zone }}.
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
.time input.date {
  width: 104px;
}
h3 {
  margin: 8px 0 0;
  font-size: 13px;
  font-weight: 600;
}
p {
  margin: 0;
}
</style>
