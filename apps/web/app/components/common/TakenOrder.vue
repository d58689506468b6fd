<script setup lang="ts">
import { clock } from '~/composables/times'
import type { useOrderOfJobs } from '~/composables/useOrderOfJobs'

/** Says that jobs were put in another order here, for as long as that can be undone. */
const { jobs, because } = defineProps<{ jobs: ReturnType<typeof useOrderOfJobs>; because: string }>()
const emit = defineEmits<{ done: [] }>()

async function putBack(): Promise<void> {
  await jobs.putBack()
  emit('done')
}
</script>

<template>
  <p v-if="jobs.taken.value" class="taken muted" role="status">
    <span>Jobs were put in order {{ because }} at {{ clock(jobs.taken.value.at) }}.</span>
    <VBtn :height="24" variant="text" :disabled="jobs.busy.value" @click="putBack">Put back</VBtn>
    <VBtn :height="24" variant="text" @click="jobs.forget">Leave it so</VBtn>
  </p>
</template>

<style scoped>
.taken {
  display: flex;
  align-items: center;
  gap: 8px;
  margin: 0;
  padding: 4px 12px;
  border-bottom: 1px solid var(--line);
}
</style>
