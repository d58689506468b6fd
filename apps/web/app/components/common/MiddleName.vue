<script setup lang="ts">
import { computed } from 'vue'

/** A name that gives way in its middle when there is no room: names of a lot differ at their ends. */
const { name, title = null } = defineProps<{ name: string; title?: string | null }>()
const tailLength = 12
const parts = computed(() => {
  const letters = Array.from(name)
  const cut = letters.length > 2 * tailLength ? letters.length - tailLength : letters.length
  return [letters.slice(0, cut).join(''), letters.slice(cut).join('')]
})
</script>

<template>
  <span class="middle" :title="title ?? name"
    ><span class="ellipsis">{{ parts[0] }}</span
    ><span v-if="parts[1]" class="tail">{{ parts[1] }}</span></span
  >
</template>

<style scoped>
.middle {
  display: inline-flex;
  min-width: 0;
  max-width: 100%;
}
.ellipsis,
.tail {
  white-space: pre;
}
.tail {
  flex: none;
}
</style>
