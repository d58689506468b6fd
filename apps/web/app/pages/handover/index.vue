<script setup lang="ts">
import { describeCount } from '@hematine/core'
import { computed } from 'vue'
import ByLotToggle from '~/components/common/ByLotToggle.vue'
import EmptyState from '~/components/common/EmptyState.vue'
import SplitPane from '~/components/common/SplitPane.vue'
import CheckPanel from '~/components/handover/CheckPanel.vue'
import ResultTable from '~/components/handover/ResultTable.vue'
import { addressOf } from '~/composables/useCall'
import { useJobLines } from '~/composables/useJobLines'
import { useOpenJob } from '~/composables/useOpenJob'
import { useOrder } from '~/stores/order'

useHead({ title: 'Handover - Hematine' })
const order = useOrder()
const results = useJobLines('handover', ['done', 'failed'], 'verdict')
const { open, job: openJob } = useOpenJob(['done', 'failed'])
const done = computed(() => order.jobCounts.done)
const settled = computed(() => done.value + order.jobCounts.failed)
const checksums = computed(() => addressOf('listChecksums', { query: { orderId: order.order?.id ?? 0 } }))
</script>

<template>
  <div class="station">
    <div class="bar">
      <h1>Handover</h1>
      <VBtn :disabled="done === 0" :href="checksums" :download="`${order.order?.code ?? 'order'}-sha256.txt`"
        >Save checksums of {{ describeCount(done) }} {{ done === 1 ? 'result' : 'results' }}</VBtn
      >
      <ByLotToggle v-if="settled > 0" v-model="results.byLot.value" otherwise="One by one" />
      <span class="spacer" />
      <span
        ><span class="number">{{ describeCount(order.work?.pass ?? 0) }}</span
        >{{ ' ' }} <span class="muted">pass</span></span
      >
      <span
        ><span class="number">{{ describeCount(order.work?.look ?? 0) }}</span
        >{{ ' ' }} <span class="muted">to look at</span></span
      >
      <span
        ><span class="number">{{ describeCount(order.jobCounts.failed) }}</span> <span class="muted">failed</span></span
      >
    </div>
    <SplitPane v-if="settled > 0 || results.total.value > 0" name="check" :initial="430">
      <template #first>
        <p v-if="results.failed.value" class="trouble bad" role="alert">{{ results.failed.value }}</p>
        <ResultTable v-model:open="open" :results="results" />
      </template>
      <template #second>
        <CheckPanel v-if="openJob" :key="`${openJob.id}-${openJob.attempt}-${openJob.state}`" :job="openJob" />
        <EmptyState v-else title="No result is open"
          >Choose a row to read its check line by line and to compare it with its source.</EmptyState
        >
      </template>
    </SplitPane>
    <EmptyState v-else title="No results yet">
      Finished files appear here with their check: decoded whole, measured against their source and held against their
      spec.
      <br /><VBtn to="/shift">Go to Shift</VBtn>
    </EmptyState>
  </div>
</template>

<style scoped>
.trouble {
  margin: 0;
  padding: 5px 12px;
}
</style>
