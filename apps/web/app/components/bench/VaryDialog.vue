<script setup lang="ts">
import { describeChoice, stepKinds, type Step } from '@hematine/core'
import { computed, ref, watch } from 'vue'
import AskDialog from '~/components/common/AskDialog.vue'
import { variationsOf } from '~/composables/step-fields'

/** Lays variants out by one step: without it, and with each of its choices. */
const open = defineModel<boolean>({ required: true })
const { steps } = defineProps<{ steps: readonly Step[] }>()
const emit = defineEmits<{ vary: [wishes: { label: string; steps: Step[] }[]] }>()
const at = ref(0)
const chosen = ref<string[]>([])
const variations = computed(() => (steps[at.value] ? variationsOf(steps[at.value]!) : []))
watch(
  [open, at],
  () => {
    chosen.value = variations.value.map(entry => entry.label)
  },
  { immediate: true },
)

function vary(): void {
  const step = steps[at.value]
  if (!step) return
  const name = stepKinds[step.kind].name
  emit(
    'vary',
    variations.value
      .filter(entry => chosen.value.includes(entry.label))
      .map(entry => ({
        label: `${name}: ${entry.label}`,
        steps: steps.flatMap((other, index) => (index !== at.value ? [other] : entry.step ? [entry.step] : [])),
      })),
  )
  open.value = false
}
</script>

<template>
  <AskDialog v-model="open" title="Vary one step">
    <p class="muted lead">
      All other steps stay as they are; each choice becomes a variant that is tried on the same moments.
    </p>
    <label class="field"
      ><span aria-hidden="true">Step</span>{{ ' ' }}
      <select v-model="at" aria-label="Step to vary">
        <option v-for="(step, index) in steps" :key="index" :value="index">{{ describeChoice(step) }}</option>
      </select></label
    >
    <div role="group" aria-label="Choices to try">
      <label v-for="entry in variations" :key="entry.label" class="choice"
        ><input v-model="chosen" type="checkbox" :value="entry.label" /> {{ entry.label }}</label
      >
    </div>
    <template #buttons>
      <VBtn variant="text" @click="open = false">Cancel</VBtn>
      <VBtn color="primary" :disabled="chosen.length === 0" @click="vary"
        >Try {{ chosen.length }} {{ chosen.length === 1 ? 'variant' : 'variants' }}</VBtn
      >
    </template>
  </AskDialog>
</template>

<style scoped>
.lead {
  margin: 0;
}
.field {
  display: flex;
  gap: 8px;
  align-items: center;
}
select {
  flex: 1;
  border: 1px solid var(--muted);
  border-radius: 2px;
  padding: 2px 6px;
  font: inherit;
  color: inherit;
  background: rgb(var(--v-theme-background));
  min-height: 26px;
}
.choice {
  display: flex;
  gap: 6px;
  align-items: center;
  min-height: 26px;
}
</style>
