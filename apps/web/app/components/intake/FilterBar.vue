<script setup lang="ts">
import { describeCondition, findingNames, FindingKey, type SourceCondition } from '@hematine/core'
import { mdiClose, mdiFilterPlusOutline } from '@mdi/js'
import { dequal } from 'dequal'
import { computed, ref, watch } from 'vue'
import ColumnMenu from '~/components/intake/ColumnMenu.vue'
import FinenessMenu from '~/components/intake/FinenessMenu.vue'
import { useIntake } from '~/stores/intake'

/** Narrows the table: words of the name, and conditions that all must hold. Filters can be kept under a name. */
const intake = useIntake()
const words = ref(intake.search)
watch(words, value => void intake.searchSoon(value))
const menu = ref(false)
const number = ref<{
  field: 'seconds' | 'bytes' | 'width' | 'height' | 'rate' | 'faults'
  how: 'at least' | 'at most'
  value: string
}>({ field: 'seconds', how: 'at least', value: '' })
const name = ref('')
const fields = [
  { value: 'seconds', title: 'length (min)', factor: 60 },
  { value: 'bytes', title: 'size (MB)', factor: 1e6 },
  { value: 'width', title: 'width (px)', factor: 1 },
  { value: 'height', title: 'height (px)', factor: 1 },
  { value: 'rate', title: 'fps', factor: 1 },
  { value: 'faults', title: 'number of faults', factor: 1 },
]
const plain: { title: string; condition: SourceCondition }[] = [
  { title: 'without a job', condition: { field: 'jobs', how: 'has not', value: 'job' } },
  { title: 'cannot be used', condition: { field: 'state', how: 'is', value: 'refused' } },
  ...(['moving picture', 'still', 'sound'] as const).map(value => ({
    title: `kind is ${value}`,
    condition: { field: 'material' as const, how: 'is' as const, value },
  })),
  ...['progressive', 'top field first', 'bottom field first', 'film pulldown', 'mixed scan'].map(value => ({
    title: `scan is ${value}`,
    condition: { field: 'scan' as const, how: 'is' as const, value },
  })),
]
const findings = FindingKey.options
  .filter(key => !['scan', 'loudness'].includes(key))
  .map(key => ({ title: findingNames[key], condition: { field: 'finding' as const, how: 'has' as const, value: key } }))
const value = computed(() => Number(number.value.value.replace(',', '.')))

function add(condition: SourceCondition): void {
  if (!intake.filter.some(entry => dequal(entry, condition)) && intake.filter.length < 11)
    intake.filter = [...intake.filter, condition]
  menu.value = false
}

function addNumber(): void {
  if (number.value.value.trim() === '' || !Number.isFinite(value.value)) return
  add({
    field: number.value.field,
    how: number.value.how,
    value: value.value * fields.find(field => field.value === number.value.field)!.factor,
  })
  number.value.value = ''
}

function keep(): void {
  const kept = name.value.trim()
  if (kept === '' || intake.filter.length === 0) return
  intake.saved = [...intake.saved.filter(entry => entry.name !== kept), { name: kept, filter: intake.filter }]
  name.value = ''
  menu.value = false
}
</script>

<template>
  <div class="filter" role="search" aria-label="Narrow the list">
    <input v-model="words" class="words" type="search" placeholder="Name contains" aria-label="Name contains" />
    <span v-for="(condition, index) in intake.filter" :key="index" class="chip"
      >{{ describeCondition(condition) }}
      <button
        type="button"
        :aria-label="`Drop the condition ${describeCondition(condition)}`"
        @click="intake.filter = intake.filter.filter((_, other) => other !== index)"
      >
        <VIcon :icon="mdiClose" size="14" aria-hidden="true" />
      </button>
    </span>
    <VMenu v-model="menu" :close-on-content-click="false" location="bottom start">
      <template #activator="{ props: activator }"
        ><VBtn v-bind="activator" variant="text" :prepend-icon="mdiFilterPlusOutline">Narrow</VBtn></template
      >
      <VCard class="choices scroll" role="group" aria-label="Conditions">
        <div class="column">
          <h3>With the finding</h3>
          <button
            v-for="entry in findings"
            :key="entry.title"
            type="button"
            class="choice"
            @click="add(entry.condition)"
          >
            {{ entry.title }}
          </button>
        </div>
        <div class="column">
          <h3>That are</h3>
          <button v-for="entry in plain" :key="entry.title" type="button" class="choice" @click="add(entry.condition)">
            {{ entry.title }}
          </button>
          <h3>By a number</h3>
          <form class="row" @submit.prevent="addNumber">
            <select v-model="number.field" aria-label="Which number">
              <option v-for="field in fields" :key="field.value" :value="field.value">{{ field.title }}</option>
            </select>
            <select v-model="number.how" aria-label="How it is compared">
              <option>at least</option>
              <option>at most</option>
            </select>
            <input v-model="number.value" class="value" inputmode="decimal" aria-label="Value" />
            <VBtn type="submit" :disabled="number.value.trim() === '' || !Number.isFinite(value)">Add</VBtn>
          </form>
          <h3>Kept filters</h3>
          <div v-for="entry in intake.saved" :key="entry.name" class="row">
            <button
              type="button"
              class="choice"
              @click="
                () => {
                  intake.filter = [...entry.filter]
                  menu = false
                }
              "
            >
              {{ entry.name }}
            </button>
            <button
              type="button"
              :aria-label="`Forget the filter ${entry.name}`"
              @click="intake.saved = intake.saved.filter(other => other.name !== entry.name)"
            >
              <VIcon :icon="mdiClose" size="14" aria-hidden="true" />
            </button>
          </div>
          <form class="row" @submit.prevent="keep">
            <input
              v-model="name"
              class="grow"
              placeholder="Name for these conditions"
              aria-label="Name for these conditions"
              :disabled="intake.filter.length === 0"
            />
            <VBtn type="submit" :disabled="name.trim() === '' || intake.filter.length === 0">Keep</VBtn>
          </form>
        </div>
      </VCard>
    </VMenu>
    <VBtn v-if="intake.filter.length > 0" variant="text" @click="intake.filter = []">All sources</VBtn>
    <span class="spacer" />
    <span class="muted"
      ><span class="number">{{ intake.total }}</span> {{ intake.total === 1 ? 'source' : 'sources' }} in
      <span class="number">{{ intake.lots.length }}</span> {{ intake.lots.length === 1 ? 'lot' : 'lots' }}</span
    >
    <FinenessMenu />
    <ColumnMenu />
  </div>
</template>

<style scoped>
.filter {
  display: flex;
  align-items: center;
  gap: 6px;
  min-height: 36px;
  padding: 2px 12px;
  border-bottom: 1px solid var(--line);
  flex: none;
  flex-wrap: wrap;
}
.words,
.value,
.grow,
select {
  border: 1px solid var(--muted);
  border-radius: 2px;
  padding: 2px 6px;
  font: inherit;
  color: inherit;
  background: rgb(var(--v-theme-background));
  min-height: 24px;
}
.words {
  width: 150px;
}
.value {
  width: 64px;
}
.grow {
  flex: 1;
  min-width: 0;
}
.chip {
  display: inline-flex;
  align-items: center;
  gap: 4px;
  padding: 1px 4px 1px 8px;
  border: 1px solid var(--muted);
  border-radius: 2px;
  white-space: nowrap;
}
.choices {
  display: grid;
  grid-template-columns: 190px 300px;
  gap: 0 20px;
  padding: 10px 14px;
  max-height: 480px;
  border: 1px solid var(--line);
}
.choice {
  display: block;
  width: 100%;
  min-height: 24px;
  text-align: left;
  padding: 2px 4px;
}
.chip button,
.row > button:not(.choice) {
  min-width: 24px;
  min-height: 24px;
}
.choice:hover {
  background: var(--raised);
}
.row {
  display: flex;
  gap: 6px;
  align-items: center;
  padding: 2px 0;
}
h3 {
  color: var(--muted);
  font-weight: 400;
  margin: 4px 0 2px;
}
</style>
