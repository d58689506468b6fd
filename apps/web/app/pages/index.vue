<script setup lang="ts">
definePageMeta({ redirect: '/intake' })
</script>

<template>
  <div />
</template>
