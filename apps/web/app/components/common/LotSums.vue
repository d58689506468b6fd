<script setup lang="ts">
import { describeBytesRange, describeDurationRange, type WorkTotals } from '@hematine/core'
import { momentRange } from '~/composables/times'

/** Three cells of a lot's head: the device time, the size and the end of its jobs. */
const { totals, at } = defineProps<{ totals: WorkTotals; at: Date }>()
</script>

<template>
  <span role="gridcell" class="number end">{{
    totals.seconds.expected > 0 ? describeDurationRange(totals.seconds) : ''
  }}</span>
  <span role="gridcell" class="number end">{{
    totals.bytes.expected > 0 ? describeBytesRange(totals.bytes) : ''
  }}</span>
  <span role="gridcell" class="number end">{{ totals.end ? momentRange(totals.end, at) : '' }}</span>
</template>

<style scoped>
.end {
  text-align: right;
}
</style>
