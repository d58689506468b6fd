<script setup lang="ts">
/** Turns a long list between its lots and its rows. */
const { otherwise } = defineProps<{ otherwise: string }>()
const byLot = defineModel<boolean>({ required: true })
</script>

<template>
  <VBtn variant="text" :aria-pressed="byLot" @click="byLot = !byLot">{{ byLot ? otherwise : 'By lot' }}</VBtn>
</template>
