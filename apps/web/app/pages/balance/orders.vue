<script setup lang="ts">
import { describeCount, describeSharing, rehearsals, rushOrderId, type LaneBar, type Supposed } from '@hematine/core'
import { computed, ref } from 'vue'
import BalanceBar from '~/components/balance/BalanceBar.vue'
import CountedAhead from '~/components/balance/CountedAhead.vue'
import KeptSuppositions from '~/components/balance/KeptSuppositions.vue'
import LaneChart from '~/components/balance/LaneChart.vue'
import OrderProspects from '~/components/balance/OrderProspects.vue'
import ReliefList from '~/components/balance/ReliefList.vue'
import SupposeBar from '~/components/balance/SupposeBar.vue'
import VolumeChart from '~/components/balance/VolumeChart.vue'
import VolumeProspects from '~/components/balance/VolumeProspects.vue'
import EmptyState from '~/components/common/EmptyState.vue'
import TakenOrder from '~/components/common/TakenOrder.vue'
import { nameOfDisk } from '~/composables/disk-names'
import { dueMarks, spanOf, spanWith } from '~/composables/time-axis'
import { useOpenTime } from '~/composables/useHours'
import { supposedWords } from '~/composables/supposed-words'
import { moment, momentRange } from '~/composables/times'
import { call } from '~/composables/useCall'
import { useOrderOfJobs } from '~/composables/useOrderOfJobs'
import { mostKept, useKeptSuppositions } from '~/composables/useKeptSuppositions'
import { percentWords, useOutlook } from '~/composables/useOutlook'
import { useNotices } from '~/stores/notices'
import { useOrder } from '~/stores/order'

useHead({ title: 'All orders - Hematine' })
const order = useOrder()
const notices = useNotices()
const jobs = useOrderOfJobs()
const { withDrafts, withAnnounced, supposed, isSupposing, asIs, ifSo, failed, isAwaited, look, takeBack } = useOutlook()

const shown = computed(() => ifSo.value ?? asIs.value)
const at = computed(() => new Date(shown.value?.at ?? 0))
const codes = computed(() => new Map(shown.value?.orders.map(({ id, code }) => [id, code])))
/** What a bar of the lanes is of, where that does not say itself. */
const codeOf = ({ orderId }: LaneBar) =>
  orderId === null || orderId === rushOrderId ? '' : (codes.value.get(orderId) ?? '')
const marks = computed(() => dueMarks(shown.value?.orders ?? [], at.value))
const span = computed(() => spanWith(marks.value, spanOf(shown.value?.all.end ?? null)))
/** When jobs rest, as is shown. */
const time = useOpenTime(() => at.value)
const rests = computed(() => (ifSo.value && supposed.value.atAnyTime ? [] : time.value.closedIn(span.value)))
/** Material that is planned with a spec and not here yet. */
const announced = computed(() => {
  const counts = asIs.value?.announced ?? []
  const sum = (key: 'items' | 'unknown' | 'undated') => counts.reduce((all, count) => all + (count[key] ?? 0), 0)
  const last = counts.flatMap(({ lastExpected }) => lastExpected ?? []).sort()
  return { items: sum('items'), unknown: sum('unknown'), undated: sum('undated'), last: last.at(-1) ?? null }
})
/** When announced material is taken to be here. */
const arrivalWords = computed(() => {
  const { items, undated, last } = announced.value
  if (ifSo.value && supposed.value.materialHere) return 'is taken for here'
  if (last === null) return 'is taken for here: nobody said when it is expected'
  const until = `is begun when it is expected, the last ${moment(new Date(last), at.value)}`
  return undated === 0
    ? until
    : `${until}; ${describeCount(undated)} of ${describeCount(items)} have no time and are taken for here`
})
const isEmpty = computed(() => shown.value !== null && shown.value.orders.length === 0 && !isSupposing.value)

/** Jobs that would be begun in another order, where all of them still would be. */
const moved = computed(() => {
  const [now, then] = [asIs.value?.sequence ?? [], ifSo.value?.sequence ?? []]
  return now.length === then.length && now.some((id, place) => then[place] !== id) ? then : null
})
const kept = useKeptSuppositions(
  () => asIs.value,
  () => ({ withDrafts: withDrafts.value, withAnnounced: withAnnounced.value }),
)
/** Name under which what is supposed would be kept: what it is, unless a person gives another. */
const givenName = ref('')
const nameToKeep = computed(() => {
  const there = ifSo.value ?? asIs.value
  return givenName.value.trim() || (there ? supposedWords(supposed.value, there).slice(0, 80) : '')
})
const isFull = computed(
  () => kept.kept.value.length >= mostKept && !kept.kept.value.some(({ name }) => name === nameToKeep.value),
)
function keep(): void {
  kept.keep(nameToKeep.value, supposed.value)
  givenName.value = ''
}
function suppose(change: Supposed): void {
  supposed.value = change
}
async function begin(): Promise<void> {
  if (await jobs.take(asIs.value!.sequence, moved.value!, 'as supposed'))
    supposed.value = { ...supposed.value, byDueTimes: false, first: [] }
  await look()
}
async function setDue(): Promise<void> {
  for (const { orderId, dueAt } of supposed.value.due) {
    const set = await notices.attempt(() =>
      order.asking.orders(call('changeOrder', { parameters: { id: orderId }, body: { dueAt } }), answer => [answer]),
    )
    if (!set) break
    supposed.value = { ...supposed.value, due: supposed.value.due.filter(entry => entry.orderId !== orderId) }
  }
  await look()
}
</script>

<template>
  <div class="station">
    <BalanceBar>
      <span class="spacer" />
      <template v-if="shown && !isEmpty">
        <span v-if="shown.all.end" class="sum"
          ><span class="muted">{{ ifSo ? 'if so, all done' : 'all done' }}</span
          >{{ ' ' }} <span class="number">{{ momentRange(shown.all.end, at) }}</span></span
        >
        <span v-if="shown.all.inTime !== null" class="sum"
          ><span class="muted">chance that all is in time</span>{{ ' ' }}
          <span class="number">{{ percentWords(shown.all.inTime) }}</span></span
        >
      </template>
    </BalanceBar>
    <p v-if="failed" class="warning bad" role="alert">{{ failed }}</p>
    <p v-else-if="!asIs" class="warning muted" role="status">All orders' work is being looked at.</p>
    <template v-if="asIs && !isEmpty">
      <SupposeBar
        v-model="supposed"
        v-model:with-drafts="withDrafts"
        v-model:with-announced="withAnnounced"
        :lanes="asIs.lanes - asIs.deviceLanes"
        :device-lanes="asIs.deviceLanes"
        :has-device-work="asIs.deviceJobs > 0"
        :announced="announced.items"
        :is-awaited="announced.last !== null"
      >
        <span v-if="isAwaited" class="muted" role="status">being worked out</span>
        <VBtn v-if="moved" :height="26" color="primary" :loading="jobs.busy.value" @click="begin"
          >Begin {{ describeCount(moved.length) }} jobs in that order</VBtn
        >
        <VBtn v-if="supposed.due.length > 0" :height="26" @click="setDue">Set due as supposed</VBtn>
        <VBtn :height="26" variant="text" :disabled="!isSupposing" @click="takeBack">Back to as it is</VBtn>
      </SupposeBar>
      <TakenOrder :jobs="jobs" because="as was supposed" @done="look" />
      <div class="scroll panel page" :aria-busy="isAwaited">
        <OrderProspects v-model="supposed" :as-is="asIs" :if-so="ifSo" />
        <ReliefList v-if="asIs.reliefs.length > 0 && !isSupposing" :as-is="asIs" @suppose="suppose" />
        <form v-if="isSupposing" class="keep" @submit.prevent="keep">
          <label>keep as <input v-model="givenName" class="plain" maxlength="80" :placeholder="nameToKeep" /></label>
          <VBtn type="submit" variant="text" :height="24" :disabled="isFull">Keep to compare</VBtn>
          <span v-if="isFull" class="muted">{{ mostKept }} are kept: forget one first.</span>
        </form>
        <KeptSuppositions v-if="kept.kept.value.length > 0" :as-is="asIs" :kept="kept" @suppose="suppose" />
        <VolumeProspects
          v-if="asIs.volumes.length > 0"
          v-model="supposed"
          :as-is="asIs"
          :if-so="ifSo"
          :volumes="order.deliveryVolumes"
        />
        <p class="muted words">
          <template v-if="ifSo">Upper lines: as it is. Lower lines: what if. Nothing is changed by it. </template>Ends
          lie within their ranges nine times out of ten; lateness is counted from the middle. Chances are counted in
          {{ rehearsals }} rehearsals, whose durations are drawn from the forecasts<template
            v-if="asIs.repeats.lost > 0"
            >; {{ describeCount(asIs.repeats.lost) }} of {{ describeCount(asIs.repeats.begun) }} jobs begun so far had
            to be begun again, and so do as many there</template
          >. Held jobs are not in it.
          <template v-if="withAnnounced && announced.items > 0"
            >Announced material {{ arrivalWords }}. It is told by what was measured with its spec, as if no steps were
            chosen for it<template v-if="announced.unknown > 0"
              >; of {{ describeCount(announced.unknown) }} items too little is announced, or nothing like it was
              measured</template
            >.
          </template>
          <template v-if="rests.length > 0">Jobs rest where the lanes are shaded. </template>
          {{ shown && describeSharing(shown.lanes, shown.sharing) }}
        </p>
      </div>
      <figure v-if="shown && shown.bars.length > 0" class="charts" aria-label="Lanes and storage over time">
        <VolumeChart
          v-for="volume in shown.volumes.filter(({ steps }) => steps.length > 0)"
          :key="volume.volumeIds.join()"
          :begin="at"
          :span="span"
          :volume="volume"
          :name="nameOfDisk(volume.volumeIds, order.deliveryVolumes)"
        />
        <LaneChart
          :begin="at"
          :lanes="shown.lanes"
          :names="shown.laneNames"
          :bars="shown.bars"
          :span="span"
          :marks="marks"
          :rests="rests"
          :name-of="codeOf"
          :label="`Jobs of all orders on ${shown.lanes} ${shown.lanes === 1 ? 'lane' : 'lanes'}${shown.all.end ? `, all done ${momentRange(shown.all.end, at)}` : ''}`"
        />
      </figure>
    </template>
    <EmptyState v-else-if="asIs" title="No order has work waiting"
      >What is released in any order shows here: when each ends, how sure its due time is, and what a change would do.
      <CountedAhead
        v-model:with-drafts="withDrafts"
        v-model:with-announced="withAnnounced"
        :announced="announced.items"
    /></EmptyState>
  </div>
</template>

<style scoped>
.page {
  flex: 1;
  display: flex;
  flex-direction: column;
  gap: 16px;
}
.words {
  margin: 0;
}
.keep {
  display: flex;
  align-items: center;
  gap: 8px;
}
.keep label {
  display: flex;
  align-items: center;
  gap: 6px;
}
.keep input {
  width: 320px;
}
.keep input::placeholder {
  color: var(--muted);
  opacity: 1;
}
.charts {
  flex: none;
  margin: 0;
  max-height: 45%;
  overflow: auto;
  border-top: 1px solid var(--line);
}
</style>
