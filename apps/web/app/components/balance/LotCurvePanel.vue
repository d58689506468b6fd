<script setup lang="ts">
import {
  describeBytes,
  describeBytesRange,
  describeCount,
  levelUnder,
  type JobDetail,
  type LotCurveRecord,
  type LotLevel,
} from '@hematine/core'
import { computed, ref, watch } from 'vue'
import NumberField from '~/components/common/NumberField.vue'
import { call } from '~/composables/useCall'
import { useRespec } from '~/composables/useRespec'
import { useNotices } from '~/stores/notices'
import { useOrder } from '~/stores/order'

/** What a draft's whole lot comes to when all of it is equally good, and a cap that all of it has to keep. */
const { job } = defineProps<{ job: JobDetail }>()
const order = useOrder()
const notices = useNotices()

const lot = ref<LotCurveRecord | null>(null)
const chosen = ref<number | null>(null)
const { busy, respec } = useRespec(job)
const parameters = { id: job.id }
/** Levels that are shown, in dB apart. */
const shownEvery = 2

watch(
  () => [order.curveChange, order.jobChange],
  async () => {
    // A spec whose size follows from its format has no curve.
    lot.value = (await call('readLotCurve', { parameters }).catch(() => null)) ?? lot.value
  },
  { immediate: true },
)

const level = computed(() => lot.value?.levels.find(({ xpsnr }) => xpsnr === chosen.value) ?? null)
const shown = computed(() => {
  const levels = lot.value?.levels ?? []
  const isEnd = (index: number) => index === 0 || index === levels.length - 1
  return levels
    .filter(({ xpsnr }, index) => isEnd(index) || xpsnr % shownEvery === 0 || xpsnr === chosen.value)
    .reverse()
})
const best = computed(() => lot.value?.levels.at(-1) ?? null)

/** A size that is typed chooses the best level that keeps it. */
const wantedMegabytes = ref<number | null>(null)
const fitting = computed<LotLevel | null>(() =>
  lot.value && wantedMegabytes.value ? levelUnder(lot.value.levels, wantedMegabytes.value * 1e6) : null,
)
watch(fitting, found => {
  if (found) chosen.value = found.xpsnr
})
const isOutOfReach = computed(() => Boolean(wantedMegabytes.value) && fitting.value === null)

async function measure(): Promise<void> {
  busy.value = true
  const record = await notices.attempt(() => call('measureLotCurves', { parameters }))
  if (record) lot.value = record
  busy.value = false
}

const hold = () => respec(() => call('chooseLotQuality', { parameters, body: { xpsnr: chosen.value! } }))
</script>

<template>
  <section v-if="lot && lot.drafts > 1" aria-label="The lot under a cap">
    <h2>The lot as a whole</h2>
    <p class="muted">
      {{ describeCount(lot.drafts) }} drafts have this spec. Held at the same likeness, the worst of them is as good as
      the bytes for all of them allow.
      <template v-if="lot.measured > 0"
        >{{
          lot.measured === lot.drafts
            ? 'All were measured.'
            : `${describeCount(lot.measured)} ${lot.measured === 1 ? 'was' : 'were'} measured and ${lot.measured === 1 ? 'stands' : 'stand'} for the rest.`
        }}
      </template>
    </p>
    <p v-if="lot.underWay > 0" class="muted" role="status">
      {{ lot.underWay === 1 ? 'One curve is' : `${describeCount(lot.underWay)} curves are` }} being measured.
    </p>
    <template v-if="shown.length > 0">
      <NumberField v-model="wantedMegabytes" label="All of it under, in MB" :least="0.1" :most="100000000" :step="1" />
      <p v-if="isOutOfReach" class="look" role="status">
        The coarsest that was measured may come to more. A smaller frame, or fewer items, keeps it.
      </p>
      <p v-else-if="fitting && fitting === best" class="muted" role="status">
        That is room for the best that was measured; beyond it nothing is known.
      </p>
      <table class="levels">
        <thead>
          <tr>
            <th scope="col">every item</th>
            <th scope="col" class="end">all results</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="row in shown" :key="row.xpsnr" :class="{ chosen: row.xpsnr === chosen }">
            <th scope="row">
              <label
                ><input v-model="chosen" type="radio" name="lot-level" :value="row.xpsnr" />
                <span class="number">{{ row.xpsnr.toFixed(1) }} dB</span></label
              >
            </th>
            <td class="number end">{{ describeBytesRange(row.bytes) }}</td>
          </tr>
        </tbody>
      </table>
      <p v-if="level && level.smallest.name !== level.largest.name">
        At {{ level.xpsnr.toFixed(1) }} dB they go from
        <span class="number">{{ describeBytes(level.smallest.bytes) }}</span> ({{ level.smallest.name }}) to
        <span class="number">{{ describeBytes(level.largest.bytes) }}</span> ({{ level.largest.name }}).
      </p>
      <div class="choices">
        <VBtn :disabled="busy || level === null || chosen === lot.xpsnr" @click="hold">{{
          level ? `Hold ${level.xpsnr.toFixed(1)} dB for all ${describeCount(lot.drafts)}` : 'Choose a level'
        }}</VBtn>
        <VBtn v-if="lot.open > 0" variant="text" :disabled="busy" @click="measure">Measure more of it</VBtn>
      </div>
      <p class="muted">
        XPSNR against the treated picture. Each result finds its own setting and may miss the level by half a dB, which
        the ranges count. The level becomes a spec of its own in the library.
      </p>
    </template>
    <VBtn v-else-if="lot.open > 0 && lot.underWay === 0" :disabled="busy" @click="measure"
      >Measure curves that stand for it</VBtn
    >
    <p v-else-if="lot.measured > 0" class="muted" role="status">
      What was measured is identical to the treated picture at almost every quality: the smallest one will do.
    </p>
    <p v-else-if="lot.underWay === 0" class="muted" role="status">
      Curves of it can be measured once there are forecasts measured of its own items.
    </p>
  </section>
</template>

<style scoped>
.levels {
  width: 100%;
  border-collapse: collapse;
  margin: 8px 0;
}
.levels th {
  font-weight: 400;
  text-align: left;
}
.levels thead th {
  color: var(--muted);
  font-size: 12px;
}
.levels th,
.levels td {
  padding: 2px 4px;
  border-bottom: 1px solid var(--line);
  white-space: nowrap;
}
.levels .end {
  text-align: right;
}
.levels label {
  display: flex;
  align-items: center;
  gap: 8px;
  min-height: 24px;
  cursor: pointer;
}
.chosen {
  background: var(--raised);
}
.choices {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  margin: 8px 0;
}
</style>
