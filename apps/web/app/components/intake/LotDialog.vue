<script setup lang="ts">
import { computed, ref } from 'vue'
import AskDialog from '~/components/common/AskDialog.vue'
import { useClosing } from '~/composables/useClosing'
import { useIntake } from '~/stores/intake'

/** One lot's name, and joining it with another. */
const { lotId } = defineProps<{ lotId: number }>()
const emit = defineEmits<{ close: [] }>()
const intake = useIntake()
const lot = computed(() => intake.lots.find(entry => entry.id === lotId) ?? null)
const name = ref(lot.value?.name ?? '')
const into = ref<number | null>(null)
const others = computed(() =>
  intake.lots
    .filter(entry => entry.id !== lotId)
    .map(entry => ({ title: `${entry.name}: ${entry.reason}`, value: entry.id })),
)
const open = useClosing(() => emit('close'))

async function keep(): Promise<void> {
  const wanted = name.value.trim()
  emit('close')
  if (wanted !== lot.value?.name) await intake.rename(lotId, wanted === '' ? null : wanted)
}

async function join(): Promise<void> {
  if (into.value === null) return
  emit('close')
  await intake.merge([into.value, lotId])
}
</script>

<template>
  <AskDialog v-model="open" :title="lot?.name ?? 'Lot'" :width="560">
    <div class="muted">{{ lot?.reason }}</div>
    <VTextField
      v-model="name"
      label="Name (empty for its letter)"
      autofocus
      maxlength="80"
      @keydown.enter.prevent="keep"
    />
    <VSelect v-if="others.length > 0" v-model="into" :items="others" label="Join into" clearable />
    <template #buttons>
      <VBtn variant="text" @click="emit('close')">Cancel</VBtn>
      <VBtn :disabled="into === null" @click="join">Join lots</VBtn>
      <VBtn color="primary" @click="keep">Keep the name</VBtn>
    </template>
  </AskDialog>
</template>
