<script setup lang="ts">
import type { Supposed } from '@hematine/core'
import { computed } from 'vue'
import { latenessInAll, momentRange } from '~/composables/times'
import type { useKeptSuppositions } from '~/composables/useKeptSuppositions'
import { percentWords, type Outlook } from '~/composables/useOutlook'

/** Suppositions that were kept, side by side with what is. */
const { asIs, kept } = defineProps<{ asIs: Outlook; kept: ReturnType<typeof useKeptSuppositions> }>()
const emit = defineEmits<{ suppose: [supposed: Supposed] }>()

const rows = computed(() => [
  { name: 'As it is', supposed: null, outlook: asIs as Outlook | null | undefined },
  ...kept.kept.value.map(({ name, supposed }) => ({
    name,
    supposed,
    outlook: kept.outlooks.value.get(name),
  })),
])
function cellsOf({ all, orders, at, volumes }: Outlook) {
  const late = orders.filter(({ lateSeconds }) => lateSeconds > 0)
  const full = volumes.filter(({ fullEarlySeconds }) => fullEarlySeconds !== null).length
  return [
    { says: all.end ? momentRange(all.end, new Date(at)) : 'not known', isLook: false },
    {
      says:
        late.length === 0 ? 'none' : `${late.map(({ code }) => code).join(', ')}: ${latenessInAll(all, late.length)}`,
      isLook: late.length > 0,
    },
    { says: all.inTime === null ? 'not known' : percentWords(all.inTime), isLook: false },
    { says: full === 0 ? 'all fits' : 'may be full', isLook: full > 0 },
  ]
}
</script>

<template>
  <table class="rows" aria-label="Kept to compare">
    <thead>
      <tr>
        <th scope="col" class="first">Kept to compare</th>
        <th scope="col">All done</th>
        <th scope="col">Late</th>
        <th scope="col">Chance that all is in time</th>
        <th scope="col">Storage</th>
        <th scope="col"><span class="visually-hidden">Actions</span></th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="(row, place) in rows" :key="place">
        <td class="wrapped">{{ row.name }}</td>
        <template v-if="row.outlook">
          <td v-for="(cell, index) in cellsOf(row.outlook)" :key="index" class="number" :class="{ look: cell.isLook }">
            {{ cell.says }}
          </td>
        </template>
        <td v-else colspan="4" class="muted">
          {{ row.outlook === null ? 'could not be worked out; it is tried again' : 'being worked out' }}
        </td>
        <td class="end">
          <template v-if="row.supposed">
            <VBtn
              variant="text"
              :height="24"
              :aria-label="`What if: ${row.name}`"
              @click="emit('suppose', row.supposed)"
              >What if</VBtn
            >
            <VBtn variant="text" :height="24" :aria-label="`Forget ${row.name}`" @click="kept.forget(row.name)"
              >Forget</VBtn
            >
          </template>
        </td>
      </tr>
    </tbody>
  </table>
</template>
