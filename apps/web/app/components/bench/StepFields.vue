<script setup lang="ts">
import { stepKinds, type Step } from '@hematine/core'
import { computed, ref } from 'vue'
import AssetField from '~/components/bench/AssetField.vue'
import { fieldsOf } from '~/composables/step-fields'

/** The controls of one step; finer ones show on request. */
const step = defineModel<Step>({ required: true })
const fields = computed(() => fieldsOf(step.value))
const hasFine = computed(() => fields.value.some(field => field.fine))
const fine = ref(false)
const problem = ref<string | null>(null)
const name = computed(() => stepKinds[step.value.kind].name)

function take(change: Step | string): void {
  problem.value = typeof change === 'string' ? change : null
  if (typeof change !== 'string') step.value = change
}

function takeNumber(field: Extract<ReturnType<typeof fieldsOf>[number], { kind: 'number' }>, text: string): void {
  const value = Number(text)
  if (text.trim() === '' || !Number.isFinite(value) || value < field.min || value > field.max)
    problem.value = `${field.label} must be a number from ${field.min} to ${field.max}${field.unit ? ` ${field.unit}` : ''}.`
  else take(field.set(value))
}
</script>

<template>
  <div class="fields" role="group" :aria-label="`Settings of ${name}`">
    <p v-if="fields.length === 0" class="muted none">Nothing to set.</p>
    <template v-for="field in fields" :key="field.label">
      <div v-if="field.kind === 'asset'" class="field">
        <span class="muted">{{ field.label }}</span>
        <AssetField
          :model-value="field.get()"
          :kind="field.of"
          :label="field.label"
          @update:model-value="asset => take(field.set(asset))"
        />
      </div>
      <label v-else-if="!field.fine || fine" class="field">
        <span class="muted">{{ field.label }}</span>
        <select
          v-if="field.kind === 'choice'"
          :value="field.get()"
          @change="event => take(field.set((event.target as HTMLSelectElement).value))"
        >
          <option v-for="option in field.options" :key="option">{{ option }}</option>
        </select>
        <span v-else-if="field.kind === 'number'" class="with-unit"
          ><input
            type="number"
            class="number"
            :min="field.min"
            :max="field.max"
            :step="field.by"
            :value="field.get()"
            @change="event => takeNumber(field, (event.target as HTMLInputElement).value)"
          />{{ ' ' }} <span class="muted">{{ field.unit }}</span></span
        >
        <input
          v-else
          :value="field.get()"
          @change="event => take(field.set((event.target as HTMLInputElement).value))"
        />
      </label>
    </template>
    <p v-if="problem" class="bad problem" role="alert">{{ problem }}</p>
    <button v-if="hasFine" type="button" class="more" :aria-expanded="fine" @click="fine = !fine">
      {{ fine ? 'Fewer settings' : 'Finer settings' }}
    </button>
  </div>
</template>

<style scoped>
.fields {
  padding: 4px 10px 8px 34px;
  display: grid;
  gap: 4px;
}
.field {
  display: grid;
  grid-template-columns: 104px 1fr;
  gap: 8px;
  align-items: center;
}
select,
input {
  width: 100%;
  min-width: 0;
  border: 1px solid var(--muted);
  border-radius: 2px;
  padding: 2px 6px;
  font: inherit;
  color: inherit;
  background: rgb(var(--v-theme-background));
  min-height: 24px;
}
input.number {
  font-family: var(--mono);
  font-size: 12px;
  width: 84px;
}
.with-unit {
  display: flex;
  gap: 6px;
  align-items: center;
}
.none,
.problem {
  margin: 0;
}
.more {
  justify-self: start;
  min-height: 24px;
  color: var(--muted);
  text-decoration: underline;
}
</style>
