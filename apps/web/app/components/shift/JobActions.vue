<script setup lang="ts">
import { allowedActions, type JobRecord } from '@hematine/core'
import { computed } from 'vue'
import { useOrder } from '~/stores/order'

/** The buttons for what may be done to a job in its state. */
const { job } = defineProps<{ job: JobRecord }>()
const order = useOrder()
const words = { hold: 'Hold', resume: 'Resume', cancel: 'Cancel', retry: 'Try again' } as const
type Action = keyof typeof words
const actions = computed(() => allowedActions(job.state).filter((action): action is Action => action in words))
</script>

<template>
  <span class="actions">
    <VBtn
      v-for="action in actions"
      :key="action"
      variant="text"
      :height="24"
      :aria-label="`${words[action]} ${job.sourceName}`"
      @click="order.act([job.id], action)"
      >{{ words[action] }}</VBtn
    >
  </span>
</template>

<style scoped>
.actions {
  display: inline-flex;
  gap: 2px;
  white-space: nowrap;
}
</style>
