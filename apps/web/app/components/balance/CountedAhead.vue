<script setup lang="ts">
import { describeCount } from '@hematine/core'

/** What counts ahead beside what is released. */
const { announced } = defineProps<{
  /** Items that are not here yet and planned with a spec. */
  announced: number
}>()
const withDrafts = defineModel<boolean>('withDrafts', { required: true })
const withAnnounced = defineModel<boolean>('withAnnounced', { required: true })
</script>

<template>
  <label class="tick"><input v-model="withDrafts" type="checkbox" /> count drafts</label>
  <label v-if="announced > 0" class="tick"
    ><input v-model="withAnnounced" type="checkbox" /> count {{ describeCount(announced) }} announced</label
  >
</template>
