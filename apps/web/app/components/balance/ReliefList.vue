<script setup lang="ts">
import type { Supposed } from '@hematine/core'
import { computed } from 'vue'
import { orderCodes, supposedWords } from '~/composables/supposed-words'
import { aboutWords, latenessInAll } from '~/composables/times'
import type { Outlook } from '~/composables/useOutlook'

/** What would bring late orders in, or nearer to it; each can be supposed. */
const { asIs } = defineProps<{ asIs: Outlook }>()
const emit = defineEmits<{ suppose: [supposed: Supposed] }>()

/** Late orders that are told one by one; more are told together. */
const mostTold = 3

function comesTo({ late, ...all }: Outlook['reliefs'][number]): string {
  if (late.length === 0) return 'nothing is late'
  const codeOf = (orderId: number) => orderCodes([orderId], asIs)
  if (late.length > mostTold) return `${late.length} orders late by about ${latenessInAll(all, late.length)}`
  return `late by about ${late.map(({ orderId, lateSeconds }) => `${aboutWords(lateSeconds)} (${codeOf(orderId)})`).join(', ')}`
}
const rows = computed(() =>
  asIs.reliefs.map(relief => ({
    supposed: relief.supposed,
    change: supposedWords(relief.supposed, asIs),
    comesTo: comesTo(relief),
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
        <td class="wrapped">{{ row.change }}</td>
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
