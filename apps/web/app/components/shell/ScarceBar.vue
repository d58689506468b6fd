<script setup lang="ts">
/** One scarce thing: a thin bar of how much is spoken for, and the figures in words. */
const {
  label,
  words,
  more = '',
  part,
  tone,
} = defineProps<{
  label: string
  words: string
  /** What is said beside them, and gives way first where there is no room. */
  more?: string
  part: number | null
  tone: string
}>()
</script>

<template>
  <div class="scarce">
    <div class="line">
      <span class="muted">{{ label }}</span> <span class="number" :class="tone">{{ words }}</span><span
        v-if="more"
        class="number more"
        :class="tone"
        :title="words + more"
        >{{ more }}</span
      >
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
  overflow: hidden;
}
.line {
  display: flex;
  white-space: nowrap;
  font-size: 12px;
}
.line .muted {
  flex: 1;
  margin-right: 8px;
}
.line span {
  flex-shrink: 0;
}
.line .more {
  flex-shrink: 1;
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
