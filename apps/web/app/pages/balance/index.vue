<script setup lang="ts">
import {
  describeBytes,
  describeBytesRange,
  describeCount,
  describeDurationRange,
  describeSharing,
  type PlannedJobRecord,
} from '@hematine/core'
import { computed, ref } from 'vue'
import BalanceBar from '~/components/balance/BalanceBar.vue'
import DraftDetail from '~/components/balance/DraftDetail.vue'
import DraftTable from '~/components/balance/DraftTable.vue'
import LaneChart from '~/components/balance/LaneChart.vue'
import AskDialog from '~/components/common/AskDialog.vue'
import ByLotToggle from '~/components/common/ByLotToggle.vue'
import EmptyState from '~/components/common/EmptyState.vue'
import SplitPane from '~/components/common/SplitPane.vue'
import { spanOf } from '~/composables/time-axis'
import { useOpenTime } from '~/composables/useHours'
import { momentRange } from '~/composables/times'
import { knownWords } from '~/composables/totals'
import { call } from '~/composables/useCall'
import { useJobLines } from '~/composables/useJobLines'
import { useOpenJob } from '~/composables/useOpenJob'
import { useNotices } from '~/stores/notices'
import { useOrder } from '~/stores/order'

useHead({ title: 'Balance - Hematine' })
const order = useOrder()
const notices = useNotices()
const router = useRouter()
const drafts = useJobLines('balance', ['draft'], 'plan')
const { open, job: openJob } = useOpenJob(['draft'])
const selected = ref(new Set<number>())

const work = computed(() => order.work)
const totals = computed(() => work.value?.withDrafts ?? null)
const at = computed(() => new Date(work.value?.at ?? 0))
const time = useOpenTime(() => at.value)
/** When jobs rest, as far as lanes are shown. */
const rests = computed(() => time.value.closedIn(spanOf(totals.value?.end ?? null)))
const draftCount = computed(() => order.jobCounts.draft)
const chosenCount = computed(() => (selected.value.size > 0 ? selected.value.size : draftCount.value))
/** Delivery volumes that may be too full for what is still to be written to them. */
const tooFull = computed(() => order.storage.filter(({ bytes, freeBytes }) => bytes.high > freeBytes))
const due = computed(() => (order.order?.dueAt ? new Date(order.order.dueAt) : null))
const late = computed(
  () =>
    due.value !== null &&
    Boolean(totals.value?.end) &&
    at.value.getTime() + totals.value!.end!.high * 1000 > due.value.getTime(),
)

/** Drafts of which nothing is known beforehand, among those about to be released: only when that is said once more. */
const asking = ref<{ ids: number[]; unmeasured: number[]; first: PlannedJobRecord[] } | null>(null)
const busy = ref(false)

async function askOrRelease(): Promise<void> {
  busy.value = true
  await notices.attempt(async () => {
    const ids = selected.value.size > 0 ? [...selected.value] : await order.jobIds({ states: ['draft'] })
    const failed = new Set(await order.jobIds({ states: ['draft'], sample: 'failed' }))
    const unmeasured = ids.filter(id => failed.has(id))
    if (unmeasured.length === 0) return release(ids)
    const { jobs } = await call('listJobs', {
      query: { orderId: order.order!.id, states: 'draft', sample: 'failed', limit: 100 },
    })
    asking.value = { ids, unmeasured, first: jobs.filter(job => unmeasured.includes(job.id)).slice(0, 5) }
  })
  busy.value = false
}

async function release(ids: number[]): Promise<void> {
  asking.value = null
  if (ids.length === 0) return
  // Asked before: the drafts may be gone from the list before the answer is here.
  const wasAll = ids.length === draftCount.value
  selected.value = new Set()
  if ((await order.act(ids, 'release')) && wasAll) await router.push('/shift')
}

async function remove(): Promise<void> {
  const ids = [...selected.value]
  selected.value = new Set()
  await order.act(ids, 'remove')
}
</script>

<template>
  <div class="station">
    <BalanceBar>
      <VBtn color="primary" :disabled="chosenCount === 0" :loading="busy" @click="askOrRelease"
        >Release {{ describeCount(chosenCount) }} {{ chosenCount === 1 ? 'job' : 'jobs' }}</VBtn
      >
      <VBtn :disabled="selected.size === 0" variant="text" @click="remove"
        >Remove {{ describeCount(selected.size) }} selected</VBtn
      >
      <ByLotToggle v-if="draftCount > 0" v-model="drafts.byLot.value" otherwise="One by one" />
      <span class="spacer" />
      <template v-if="totals">
        <span v-if="totals.end" class="sum"
          ><span class="muted">all done</span>{{ ' ' }}
          <span class="number" :class="{ look: late }">{{ momentRange(totals.end, at) }}</span></span
        >
        <span v-if="totals.seconds.expected > 0" class="sum"
          ><span class="muted">device time</span>{{ ' ' }}
          <span class="number">{{ describeDurationRange(totals.seconds) }}</span></span
        >
        <span v-if="totals.bytes.expected > 0" class="sum"
          ><span class="muted">results</span>{{ ' ' }}
          <span class="number" :class="{ look: tooFull.length > 0 }">{{ describeBytesRange(totals.bytes) }}</span></span
        >
      </template>
    </BalanceBar>
    <p v-if="totals && totals.jobs > 0 && knownWords(totals)" class="warning muted" role="status">
      {{ knownWords(totals) }}.
      <span v-if="totals.unknown > 0" class="look"
        >The sums are without {{ describeCount(totals.unknown) }} of which nothing is known yet.</span
      >
    </p>
    <p v-if="order.lanes === 0 && draftCount > 0" class="warning look" role="status">
      No worker has a lane, so nothing has an end. Give one some in
      <NuxtLink to="/equipment">Equipment</NuxtLink>.
    </p>
    <p v-if="work && work.untaken > 0" class="warning look" role="status">
      {{ describeCount(work.untaken) }} {{ work.untaken === 1 ? 'job needs' : 'jobs need' }} an encoder of a graphics
      device, and no worker has one that works now, so nothing is said of when
      {{ work.untaken === 1 ? 'it ends' : 'they end' }}. See <NuxtLink to="/equipment">Equipment</NuxtLink>, or change
      the spec.
    </p>
    <p v-for="volume in tooFull" :key="volume.volumeIds[0]" class="warning look" role="status">
      {{ volume.bytes.low > volume.freeBytes ? 'The results do not fit' : 'The results may not fit' }} on
      {{ volume.name }}: {{ describeBytesRange(volume.bytes) }} are still to be written there<template
        v-if="volume.ofOthers.expected > 0"
        >, {{ describeBytes(volume.ofOthers.expected) }} of them for other orders</template
      ><template v-if="volume.unknown > 0"
        >, without {{ describeCount(volume.unknown) }} of which nothing is known yet</template
      >, and {{ describeBytes(volume.freeBytes) }} are free. Leave some out, choose a smaller spec or another volume, or
      make room.
    </p>
    <p v-if="late" class="warning look" role="status">
      The end may come after the due time. Leave some out, choose a quicker spec, add a worker{{
        order.hours.hours ? ', let jobs be worked on at any time' : ''
      }}, or look at what would help in <NuxtLink to="/balance/orders">All orders</NuxtLink>.
    </p>
    <template v-if="draftCount > 0 || drafts.total.value > 0">
      <SplitPane name="draft" :initial="370">
        <template #first>
          <p v-if="drafts.failed.value" class="warning bad" role="alert">{{ drafts.failed.value }}</p>
          <DraftTable v-model:open="open" v-model:selected="selected" :drafts="drafts" />
        </template>
        <template #second>
          <DraftDetail v-if="openJob" :key="openJob.id" :job="openJob" />
          <EmptyState v-else title="No job is open"
            >Choose a row to see what will be done to the source, and what its forecast was measured from.</EmptyState
          >
        </template>
      </SplitPane>
    </template>
    <EmptyState v-else title="No drafts to weigh">
      {{
        work && work.released.jobs > 0
          ? `${describeCount(work.released.jobs)} jobs are released and run in Shift; the chart below shows when.`
          : 'Select sources in Intake and draft jobs for them. Each is measured on this machine before you decide.'
      }}
      <br /><VBtn to="/intake">Go to Intake</VBtn>
    </EmptyState>
    <AskDialog
      :model-value="asking !== null"
      title="Release without a forecast?"
      :width="560"
      @update:model-value="
        () => {
          asking = null
        }
      "
    >
      <template v-if="asking">
        <p>
          {{ asking.unmeasured.length === 1 ? 'One job' : `${describeCount(asking.unmeasured.length)} jobs` }} could not
          be measured, so nobody knows how long {{ asking.unmeasured.length === 1 ? 'it takes' : 'they take' }} or how
          large the result will be, and {{ asking.unmeasured.length === 1 ? 'it' : 'they' }} may fail for the same
          reason:
        </p>
        <ul>
          <li v-for="job in asking.first" :key="job.id">
            <strong>{{ job.sourceName }}</strong>, {{ job.specName }}: {{ job.sampleReason }}
          </li>
        </ul>
      </template>
      <template #buttons>
        <VBtn
          variant="text"
          @click="
            () => {
              asking = null
            }
          "
          >Cancel</VBtn
        >
        <template v-if="asking">
          <VBtn
            :disabled="asking.ids.length === asking.unmeasured.length"
            @click="release(asking.ids.filter(id => !asking!.unmeasured.includes(id)))"
            >Release the {{ describeCount(asking.ids.length - asking.unmeasured.length) }} measured</VBtn
          >
          <VBtn color="primary" @click="release(asking.ids)">Release all {{ describeCount(asking.ids.length) }}</VBtn>
        </template>
      </template>
    </AskDialog>
    <figure v-if="work && work.bars.length > 0" class="lanes" aria-label="Lanes over time">
      <LaneChart
        :begin="at"
        :lanes="work.lanes"
        :names="work.laneNames"
        :bars="work.bars"
        :span="spanOf(work.withDrafts.end)"
        :marks="due ? [{ seconds: (due.getTime() - at.getTime()) / 1000, says: '' }] : []"
        :rests="rests"
        :label="`${describeCount(work.withDrafts.jobs)} jobs on ${work.lanes} ${work.lanes === 1 ? 'lane' : 'lanes'}${work.withDrafts.end ? `, all done ${momentRange(work.withDrafts.end, at)}` : ''}`"
      />
      <figcaption class="muted">
        Solid: released. Outlined: draft. Hatched: the end may come as late as this.
        <template v-if="rests.length > 0">Shaded: jobs rest. </template>
        {{ describeSharing(work.lanes, work.sharing) }}
      </figcaption>
    </figure>
  </div>
</template>

<style scoped>
.lanes {
  flex: none;
  margin: 0;
  border-top: 1px solid var(--line);
  padding-top: 6px;
}
figcaption {
  padding: 0 12px 6px;
  font-size: 12px;
}
</style>
