<script setup lang="ts">
import { computed, ref } from 'vue'
import EmptyState from '~/components/common/EmptyState.vue'
import SplitPane from '~/components/common/SplitPane.vue'
import CheckPanel from '~/components/handover/CheckPanel.vue'
import ResultTable from '~/components/handover/ResultTable.vue'
import { call } from '~/composables/useCall'
import { useNotices } from '~/stores/notices'
import { useOrder } from '~/stores/order'

useHead({ title: 'Handover - Hematine' })
const order = useOrder()
const notices = useNotices()
const route = useRoute()
const router = useRouter()
const busy = ref(false)
const open = computed<number | null>({
  get: () => Number(route.query.job) || null,
  set: id => {
    void router.replace({ query: id === null ? {} : { job: id } })
  },
})
const openJob = computed(() => order.settled.find(job => job.id === open.value) ?? null)
const done = computed(() => order.settled.filter(job => job.state === 'done'))

/** One line for each file, as the common checksum programs read them; names with a backslash or a line break are escaped as those programs do. */
async function saveChecksums(): Promise<void> {
  busy.value = true
  const lines = await notices.attempt(async () => {
    const details = []
    for (const job of done.value) details.push(await call('readJob', { parameters: { id: job.id } }))
    return details.map(job => {
      const name = job.outputPath!
      const escaped = name.replaceAll('\\', '\\\\').replaceAll('\n', '\\n')
      return `${escaped === name ? '' : '\\'}${job.check!.measurement.sha256}  ${escaped}\n`
    })
  })
  busy.value = false
  if (!lines) return
  const address = URL.createObjectURL(new Blob(lines, { type: 'text/plain' }))
  Object.assign(document.createElement('a'), {
    href: address,
    download: `${order.order?.code ?? 'order'}-sha256.txt`,
  }).click()
  URL.revokeObjectURL(address)
}
</script>

<template>
  <div class="station">
    <div class="bar">
      <h1>Handover</h1>
      <VBtn :disabled="done.length === 0" :loading="busy" @click="saveChecksums"
        >Save checksums of {{ done.length }} {{ done.length === 1 ? 'file' : 'files' }}</VBtn
      >
      <span class="spacer" />
      <span
        ><span class="number">{{ done.filter(job => job.verdict === 'pass').length }}</span
        >{{ ' ' }} <span class="muted">pass</span></span
      >
      <span
        ><span class="number">{{ done.filter(job => job.verdict === 'look').length }}</span
        >{{ ' ' }} <span class="muted">to look at</span></span
      >
      <span
        ><span class="number">{{ order.settled.length - done.length }}</span> <span class="muted">failed</span></span
      >
    </div>
    <SplitPane v-if="order.settled.length > 0" name="check" :initial="430">
      <template #first><ResultTable v-model:open="open" :jobs="order.settled" /></template>
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
