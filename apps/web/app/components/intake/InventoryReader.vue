<script setup lang="ts">
import {
  inventoryColumns,
  matchColumns,
  readInventory,
  tooLargeForInventory,
  type ColumnMatch,
  type PlannedSource,
} from '@hematine/core'
import Papa from 'papaparse'
import { computed, ref, watch } from 'vue'
import StateMark from '~/components/common/StateMark.vue'

/** Matches a table's columns to those of an inventory and shows what comes of it, line by line. */
const props = defineProps<{ text: string }>()
const sources = defineModel<PlannedSource[]>({ required: true })

const tooLarge = computed(() => tooLargeForInventory(props.text))
const table = computed(() => (tooLarge.value ? [] : Papa.parse<string[]>(props.text.replace(/^\uFEFF/, '')).data))
const lines = computed(() => table.value.slice(1).filter(line => line.some(cell => cell.trim() !== '')).length)
const headings = computed(() => table.value[0] ?? [])
const match = ref<ColumnMatch>(matchColumns(headings.value))
const choices = computed(() => [
  { value: null as number | null, title: 'not in the table' },
  ...headings.value.map((title, value) => ({
    value: value as number | null,
    title: title.trim() || `column ${value + 1}`,
  })),
])
const result = computed(() =>
  match.value.name === null ? { sources: [], problems: [] } : readInventory(table.value.slice(1), match.value),
)
watch(
  result,
  ({ sources: read }) => {
    sources.value = read
  },
  { immediate: true },
)
const preview = computed(() => table.value.slice(1, 6))
</script>

<template>
  <p v-if="tooLarge" class="look"><StateMark state="look" /> {{ tooLarge }}</p>
  <p v-else-if="lines === 0" class="look">
    <StateMark state="look" /> The table has no lines below its headings. It should be a CSV file whose first line names
    the columns.
  </p>
  <template v-else>
    <div class="columns">
      <VSelect
        v-for="column in inventoryColumns"
        :key="column.key"
        v-model="match[column.key]"
        :items="choices"
        :label="column.title"
        :hint="column.written"
      />
    </div>
    <table class="preview">
      <caption class="visually-hidden">
        First lines of the table
      </caption>
      <thead>
        <tr>
          <th v-for="(heading, index) in headings" :key="index" scope="col">{{ heading }}</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="(line, index) in preview" :key="index">
          <td v-for="(cell, place) in headings" :key="place" class="ellipsis">{{ line[place] }}</td>
        </tr>
      </tbody>
    </table>
    <p v-if="match.name === null" class="look">
      <StateMark state="look" /> Say which column holds the names; the rest may be missing.
    </p>
    <p v-else role="status">
      <span class="number">{{ result.sources.length }}</span> of {{ lines }} {{ lines === 1 ? 'line' : 'lines' }} can be
      added<template v-if="result.problems.length > 0">; the others are left out for these reasons:</template>
    </p>
    <ul v-if="result.problems.length > 0" class="problems scroll" tabindex="0" aria-label="What is wrong in the table">
      <li v-for="(problem, index) in result.problems.slice(0, 200)" :key="index">
        <span class="number">line {{ problem.line }}</span> <span class="muted">{{ problem.column }}</span>
        {{ problem.message }}
      </li>
      <li v-if="result.problems.length > 200" class="muted">and {{ result.problems.length - 200 }} more</li>
    </ul>
  </template>
</template>

<style scoped>
.columns {
  display: grid;
  grid-template-columns: repeat(3, 1fr);
  gap: 8px;
}
.preview {
  width: 100%;
  table-layout: fixed;
  border-collapse: collapse;
  font-size: 12px;
}
.preview th,
.preview td {
  padding: 3px 8px;
  border-bottom: 1px solid var(--line);
  text-align: left;
}
.preview th {
  color: var(--muted);
  font-weight: 400;
}
.problems {
  max-height: 110px;
  margin: 0;
  padding: 0 0 0 16px;
}
p {
  margin: 0;
}
</style>
