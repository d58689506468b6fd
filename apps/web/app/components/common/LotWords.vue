<script setup lang="ts">
/** The words of a lot's head in a long table: an arrow for open and closed, its name, and what there is to say of it. */
const {
  name,
  isOpen,
  words,
  title = null,
} = defineProps<{
  name: string
  isOpen: boolean
  words: string
  title?: string | null
}>()
</script>

<template>
  <span role="gridcell" class="lot-words">
    <span class="turn" :class="{ down: isOpen }" aria-hidden="true" />
    <strong>{{ name }}</strong>
    <span class="ellipsis" :title="title ?? words">{{ words }}</span>
  </span>
</template>

<style scoped>
.lot-words {
  display: flex;
  align-items: center;
  gap: 6px;
  min-width: 0;
}
.lot-words strong {
  white-space: nowrap;
  font-weight: 600;
}
.turn {
  flex: none;
  width: 6px;
  height: 6px;
  margin: 0 6px 0 4px;
  border: solid currentColor;
  border-width: 0 1.5px 1.5px 0;
  transform: rotate(-45deg);
}
.turn.down {
  transform: rotate(45deg);
}
</style>
