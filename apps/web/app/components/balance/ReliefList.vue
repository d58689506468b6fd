<script setup lang="ts">
import { describeCount } from '@hematine/core'
import { computed } from 'vue'
import { aboutWords, moment } from '~/composables/times'
import type { Outlook } from '~/composables/useOutlook'

/** What would bring late orders in, or nearer to it; each can be supposed. */
const { asIs } = defineProps<{ asIs: Outlook }>()
const emit = defineEmits<{ suppose: [supposed: Supposed] }>()

type Supposed = Outlook['reliefs'][number]['supposed']
const codes = computed(() => new Map(asIs.orders.map(({ id, code }) => [id, code])))
const named = (ids: readonly number[]) => ids.map(id => codes.value.get(id) ?? 'an order').join(', ')

function saysChange({ byDueTimes, first, lanesMore, without, due }: Supposed): string {
  if (byDueTimes) return 'Jobs by due times'
  if (first.length > 0) return `${named(first)} first`
  if (lanesMore > 0) return `${describeCount(lanesMore)} ${lanesMore === 1 ? 'lane' : 'lanes'} more`
  if (without.length > 0) return `Without ${named(without)}`
  return due
    .map(({ orderId, dueAt }) => `${named([orderId])} due ${moment(new Date(dueAt!), new Date(asIs.at))}`)
    .join(', ')
}
const rows = computed(() =>
  asIs.reliefs.map(({ supposed, lateSeconds, late }) => ({
    supposed,
    change: saysChange(supposed),
    comesTo:
      lateSeconds === 0
        ? 'nothing is late'
        : `${named(late)} about ${aboutWords(lateSeconds)} late${late.length > 1 ? ' in all' : ''}`,
  })),
)
</script>

<template>
  <table class="rows" aria-label="What would help">
    <thead>
      <tr>
        <th scope="col" class="first">What would help</th>
        <th scope="col">Comes to</th>
        <th scope="col"><span class="visually-hidden">Suppose it</span></th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="row in rows" :key="row.change">
        <td class="name">{{ row.change }}</td>
        <td>{{ row.comesTo }}</td>
        <td class="end">
          <VBtn
            variant="text"
            :height="24"
            :aria-label="`What if: ${row.change}`"
            @click="emit('suppose', row.supposed)"
            >What if</VBtn
          >
        </td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
.first {
  width: 250px;
}
.name {
  white-space: normal;
}
</style>
