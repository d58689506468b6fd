<script setup lang="ts">
import {
  describeBytes,
  describeBytesRange,
  describeCount,
  describeDuration,
  describeDurationRange,
  describeSharing,
} from '@hematine/core'
import { computed, shallowRef } from 'vue'
import BalanceBar from '~/components/balance/BalanceBar.vue'
import TradeOffChart from '~/components/balance/TradeOffChart.vue'
import WaysTable from '~/components/balance/WaysTable.vue'
import AskDialog from '~/components/common/AskDialog.vue'
import EmptyState from '~/components/common/EmptyState.vue'
import { instantOf, latenessWords, localMoment, momentRange } from '~/composables/times'
import { useWays, type WaysFound } from '~/composables/useWays'
import { useNotices } from '~/stores/notices'
import { useOrder } from '~/stores/order'

useHead({ title: 'Ways - Hematine' })
const order = useOrder()
const notices = useNotices()
const { asked, found, failed, isAwaited, isChanged, look, choose, weigh, takeBack } = useWays()

const gigabyte = 1e9
const at = computed(() => new Date(found.value?.at ?? 0))
const isTicked = (specKey: string) => asked.value.specKeys === null || asked.value.specKeys.includes(specKey)
function tick(specKey: string): void {
  const all = found.value!.specs.map(entry => entry.specKey)
  const now = all.filter(key => (key === specKey ? !isTicked(key) : isTicked(key)))
  asked.value = { ...asked.value, specKeys: now.length === all.length ? null : now, chosen: [] }
}
/** Most bytes as they are asked for; null without a limit. */
const most = computed(() => (asked.value.bytes === 'room' ? (found.value?.room ?? null) : asked.value.bytes))
const inGigabytes = (bytes: number) => Number((bytes / gigabyte).toPrecision(3))
function limitBytes(event: Event): void {
  const gigabytes = (event.target as HTMLInputElement).valueAsNumber
  const room = found.value?.room ?? null
  const isRoom = room !== null && gigabytes === inGigabytes(room)
  const bytes = isRoom ? 'room' : Number.isFinite(gigabytes) && gigabytes >= 0 ? gigabytes * gigabyte : null
  asked.value = { ...asked.value, bytes }
}
function limitTime(event: Event): void {
  asked.value = { ...asked.value, dueAt: instantOf((event.target as HTMLInputElement).value) }
}
function chooseAll(specKeys: readonly string[]): void {
  const open = found.value!.lots.filter(({ chosen }) => chosen !== null)
  asked.value = {
    ...asked.value,
    chosen: open.map(({ lotId }, index) => ({ lotId, specKey: specKeys[index]! })),
  }
}

/** Whether any lot can be done in more than one way. */
const hasChoice = computed(
  () => found.value?.lots.some(({ ways }) => ways.filter(({ because }) => because === null).length > 1) ?? false,
)
/** How near to the best there is what is chosen comes, where a person or the search left something open. */
function boundWords({ chosen, mostLikeness, lots }: WaysFound): string {
  if (chosen.likeness === null || mostLikeness === null) return ''
  const left = mostLikeness - chosen.likeness
  const hand = lots.some(({ isByHand }) => isByHand) ? ' with what is chosen by hand' : ''
  return left < 0.005
    ? `No choice within the limits${hand} is more alike.`
    : `At most ${left.toFixed(2)} dB from the best within the limits${hand}.`
}
function missingWords({ missing }: WaysFound): string {
  const { bytes, seconds } = missing!
  const ways = [
    bytes !== null && bytes > 0 ? `${describeBytes(bytes)} more room, in the time there is` : '',
    seconds !== null && seconds > 0 ? `${describeDuration(seconds)} more time, with the room there is` : '',
  ].filter(words => words !== '')
  const would =
    ways.length > 0 ? `What would do: ${ways.join('; or ')}.` : 'Neither more room nor more time alone would do.'
  return `No choice keeps the limits. ${would} What is shown misses them least.`
}

/** Drafts that are to go, as they were when it was asked; null while nothing is. */
const going = shallowRef<readonly number[] | null>(null)
const asking = computed({ get: () => going.value !== null, set: () => (going.value = null) })
async function keep(): Promise<void> {
  const ids = [...going.value!]
  going.value = null
  await notices.attempt(() => order.act(ids, 'remove'))
  await look()
}
</script>

<template>
  <div class="station">
    <BalanceBar>
      <span class="spacer" />
      <template v-if="found && hasChoice">
        <VBtn v-if="isChanged" @click="takeBack">Back to the order's own limits</VBtn>
        <VBtn
          color="primary"
          :height="32"
          :disabled="isAwaited || found.others.length === 0"
          @click="going = found.others"
          >Keep what is chosen</VBtn
        >
      </template>
    </BalanceBar>
    <p v-if="failed" class="warning bad" role="alert">{{ failed }}</p>
    <p v-else-if="!found" class="warning muted" role="status">The order's drafts are being looked at.</p>
    <template v-else>
      <form v-if="found.specs.length > 1" class="asked" aria-label="What is asked for" @submit.prevent>
        <fieldset>
          <legend>Each lot gets one of</legend>
          <label v-for="spec in found.specs" :key="spec.specKey"
            ><input type="checkbox" :checked="isTicked(spec.specKey)" @change="tick(spec.specKey)" />
            {{ spec.specName }} <span class="muted number">{{ describeCount(spec.drafts) }}</span></label
          >
        </fieldset>
        <label
          >room (GB)
          <input
            type="number"
            class="number"
            min="0"
            step="any"
            :value="most === null ? '' : inGigabytes(most)"
            placeholder="no limit"
            @change="limitBytes"
        /></label>
        <label
          >done by
          <input type="datetime-local" max="9999-12-31T23:59" :value="localMoment(asked.dueAt)" @change="limitTime"
        /></label>
        <span v-if="isAwaited" class="muted" role="status">being worked out</span>
      </form>
      <EmptyState v-if="!hasChoice" title="No lot has a choice"
        >A lot that is drafted with several specs can be done in several ways. Once they are measured, the best of them
        within the room and the time that there are is found here.<template v-if="found.lots.length > 0">
          {{ found.lots.flatMap(({ ways }) => ways).find(({ because }) => because !== null)?.because }}</template
        ></EmptyState
      >
      <template v-else>
        <section class="sums" aria-label="What is chosen">
          <p>
            <span class="number">{{ describeCount(found.chosen.jobs) }}</span> drafts:
            <span class="number">{{ describeDurationRange(found.chosen.seconds) }}</span> of device time,
            <span class="number">{{ describeBytesRange(found.chosen.bytes) }}</span><template
              v-if="found.chosen.overBytes > 0"
              >,
              <span class="look"
                >{{ describeBytes(found.chosen.overBytes) }} more than there is room for</span
              ></template
            >, <span class="number">{{ found.chosen.likeness?.toFixed(1) }} dB</span> in the mean;
            <template v-if="found.chosen.end"
              >done <span class="number">{{ momentRange(found.chosen.end, at) }}</span><template
                v-if="found.chosen.lateSeconds > 0"
                >, <span class="look">{{ latenessWords(found.chosen.lateSeconds) }}</span></template
              ></template
            ><template v-else>no end, for want of a lane</template>.
            {{ boundWords(found) }}
          </p>
          <p v-if="found.missing" class="look" role="status">{{ missingWords(found) }}</p>
        </section>
        <div class="both">
          <div class="scroll table">
            <WaysTable
              :found="found"
              @choose="(lot, key) => choose(lot, key)"
              @weigh="(lot, weight) => weigh(lot, weight)"
            />
            <p class="muted words">
              The way of each lot is chosen so that the mean likeness is the greatest within the room and the time:
              XPSNR of the result against its treated picture, by length and weight. More than rounding to 8 bits would
              leave (58.9 dB) does not count as more. Press a way to choose it by hand, and once more to leave it open.
              Nothing is changed until it is kept.
              {{ describeSharing(found.lanes, found.sharing) }}
              <template v-if="found.besides.jobs > 0"
                >{{ describeCount(found.besides.jobs) }} other
                {{ found.besides.jobs === 1 ? 'draft comes' : 'drafts come' }} with every choice.</template
              >
            </p>
          </div>
          <aside class="scroll chart-side" aria-label="Trade-off">
            <h2>Time against size</h2>
            <TradeOffChart
              :points="found.tradeOffs"
              :chosen="{ seconds: found.chosen.seconds.expected, bytes: found.chosen.bytes.expected }"
              :most="most"
              @choose="point => chooseAll(point.specKeys)"
            />
          </aside>
        </div>
      </template>
    </template>
    <AskDialog v-model="asking" title="Keep what is chosen?">
      <p v-if="going">
        {{ describeCount(going.length) }} {{ going.length === 1 ? 'draft' : 'drafts' }} of the other ways
        {{ going.length === 1 ? 'is' : 'are' }} removed. Nothing that was made is touched, and they can be drafted
        again; what was measured of them is kept.
      </p>
      <template #buttons>
        <VBtn @click="going = null">Cancel</VBtn>
        <VBtn v-if="going" color="primary" @click="keep"
          >Remove {{ describeCount(going.length) }} {{ going.length === 1 ? 'draft' : 'drafts' }}</VBtn
        >
      </template>
    </AskDialog>
  </div>
</template>

<style scoped>
.asked {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 6px 18px;
  padding: 6px 12px;
  border-bottom: 1px solid var(--line);
}
fieldset {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 14px;
  border: 0;
  margin: 0;
  padding: 0;
}
legend {
  float: left;
  margin-right: 14px;
  padding: 0;
}
.asked label {
  display: flex;
  align-items: center;
  gap: 6px;
}
.asked input[type='number'] {
  width: 84px;
}
.sums p,
.words {
  margin: 0;
}
.sums {
  padding: 8px 12px;
  border-bottom: 1px solid var(--line);
}
.both {
  flex: 1;
  min-height: 0;
  display: flex;
}
.table {
  flex: 1;
  min-width: 0;
}
.chart-side {
  width: 310px;
  flex: none;
  padding: 8px 12px;
  border-left: 1px solid var(--line);
}
h2 {
  font-size: 13px;
}
.words {
  padding: 8px 12px;
}
</style>
