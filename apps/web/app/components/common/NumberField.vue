<script setup lang="ts">
/** A number with its words before it; null is an empty field. */
const { label, least, most, step = 1 } = defineProps<{ label: string; least: number; most: number; step?: number }>()
const value = defineModel<number | null>({ required: true })

function take(event: Event): void {
  const { value: text } = event.target as HTMLInputElement
  value.value = text.trim() === '' || !Number.isFinite(Number(text)) ? null : Number(text)
}
</script>

<template>
  <label class="number-field"
    >{{ label }}
    <input class="plain" type="number" :min="least" :max="most" :step="step" :value="value ?? ''" @input="take"
  /></label>
</template>

<style scoped>
.number-field {
  display: flex;
  align-items: center;
  justify-content: space-between;
  gap: 8px;
  min-height: 24px;
}
input {
  width: 104px;
  text-align: right;
}
</style>
