<script setup lang="ts">
/** One scarce thing: a thin bar of how much is spoken for, and the figures in words. */
const { label, words, part, tone } = defineProps<{ label: string; words: string; part: number | null; tone: string }>()
</script>

<template>
  <div class="scarce">
    <div class="line">
      <span class="muted">{{ label }}</span> <span class="number words" :class="tone" :title="words">{{ words }}</span>
    </div>
    <div class="track" aria-hidden="true">
      <div
        v-if="part !== null"
        class="amount"
        :class="tone"
        :style="{ width: `${Math.min(100, Math.max(part > 0 ? 1 : 0, part * 100))}%` }"
      />
    </div>
  </div>
</template>

<style scoped>
.scarce {
  min-width: 96px;
  margin-left: 10px;
}
.line {
  display: flex;
  gap: 8px;
  justify-content: space-between;
  white-space: nowrap;
  font-size: 12px;
}
.words {
  overflow: hidden;
  text-overflow: ellipsis;
}
.track {
  height: 3px;
  background: var(--raised);
  margin-top: 2px;
}
.amount {
  height: 3px;
  background: var(--muted);
}
.amount.look {
  background: var(--look);
}
</style>
