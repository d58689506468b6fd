<script setup lang="ts">
/** What a view says while it has nothing to show: what belongs here, and how it gets here. */
const { title } = defineProps<{ title: string }>()
</script>

<template>
  <div class="empty">
    <strong>{{ title }}</strong>
    <slot />
  </div>
</template>
