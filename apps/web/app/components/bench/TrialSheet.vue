<script setup lang="ts">
import {
  describeBytesRange,
  describeCount,
  describeDurationRange,
  forecastTrial,
  forecastTrialForLot,
  hasNoGain,
  type LotRecord,
  type Moment,
  type PictureFigures,
  type SourceRecord,
  type TrialRecord,
} from '@hematine/core'
import { mdiClose } from '@mdi/js'
import { computed } from 'vue'
import { addressOf } from '~/composables/useCall'

/** Variants down, moments across: a picture of each, then what each costs and what it does to the picture. */
const shown = defineModel<number[]>('shown', { required: true })
const momentAt = defineModel<number>('moment', { required: true })
/** `specKey` is the one that stands above: variants tried with it need not name it. */
const { variants, moments, source, lot, specKey } = defineProps<{
  variants: readonly { trial: TrialRecord; letter: string }[]
  moments: readonly Moment[]
  source: SourceRecord
  lot: LotRecord
  specKey: string
}>()
const emit = defineEmits<{ choose: [trial: TrialRecord]; remove: [ids: number[]] }>()

const rows = computed(() =>
  variants.map(({ trial, letter }) => {
    const forecast = forecastTrial(trial)
    const results = trial.results.filter(result => result !== null)
    return {
      trial,
      letter,
      forecast,
      forLot: forecast && forecastTrialForLot(forecast, source.facts?.durationSeconds ?? 1, lot.seconds),
      results,
      failed: trial.state === 'failed',
      noGain: hasNoGain(trial.results),
      over: results[0]?.gain?.over ?? '',
    }
  }),
)
const namesSpecs = computed(() => variants.some(({ trial }) => trial.spec.key !== specKey))
/** Whether only sound was tried: there are no figures of pictures then. */
const onlySound = computed(() => rows.value.length > 0 && rows.value.every(isSound))
const opened = computed(() => rows.value.find(row => row.trial.id === shown.value.at(-1)) ?? null)

const mean = (values: readonly (number | null)[]) => {
  const known = values.filter(value => value !== null)
  return known.length === 0 ? null : known.reduce((sum, value) => sum + value, 0) / known.length
}
function figure(row: (typeof rows.value)[number], key: keyof PictureFigures, digits: number): string {
  const [before, after] = [
    mean(row.results.map(result => result.before?.[key] ?? null)),
    mean(row.results.map(result => result.after?.[key] ?? null)),
  ]
  if (before === null && after === null) return '-'
  return `${before?.toFixed(digits) ?? '-'} → ${after?.toFixed(digits) ?? '-'}`
}
const isSound = (row: (typeof rows.value)[number]) => row.trial.treatment.result === null
/** Loudness of the moments before and after, and what the codec changed, for a trial of sound alone. */
function soundFigures(row: (typeof rows.value)[number]): { loudness: string; coding: string } {
  const [before, after] = [
    mean(row.results.map(result => result.loudness?.before ?? null)),
    mean(row.results.map(result => result.loudness?.after ?? null)),
  ]
  const noise = mean(row.results.map(result => result.signalToNoise ?? null))
  return {
    loudness:
      before === null && after === null ? '-' : `${before?.toFixed(1) ?? '-'} → ${after?.toFixed(1) ?? '-'} LUFS`,
    coding: row.results.length === 0 ? '-' : noise === null ? 'equal' : `${noise.toFixed(1)} dB below`,
  }
}
const perFrame = (seconds: number) => (seconds < 0.1 ? seconds.toFixed(3) : seconds.toFixed(2))
const ssim = (row: (typeof rows.value)[number]) =>
  mean(row.results.map(result => result.ssim))?.toFixed(4) ?? (row.results.length > 0 ? 'equal' : '-')
const xpsnr = (row: (typeof rows.value)[number]) => mean(row.results.map(result => result.xpsnr))?.toFixed(1) ?? '-'

/** Seconds a frame by step of the variant that is looked at, and of the check, dearest first; sound alone has no frames. */
const costs = computed(() => {
  const sums = new Map<string, number>()
  const results = opened.value && !isSound(opened.value) ? opened.value.results : []
  const frames = results.reduce((sum, result) => sum + result.frames, 0)
  for (const { steps, checkSeconds = 0 } of results)
    for (const { name, seconds } of [...steps, { name: 'Check', seconds: checkSeconds }])
      sums.set(name, (sums.get(name) ?? 0) + seconds)
  return [...sums]
    .map(([name, seconds]) => ({ name, seconds: seconds / Math.max(1, frames) }))
    .filter(({ seconds }) => seconds >= 0.0005)
    .sort((a, b) => b.seconds - a.seconds)
})
const devices = computed(() => [
  ...new Set(
    opened.value?.results.flatMap(result =>
      Object.entries(result.devices).map(
        ([network, device]) => `${network} on the ${device === 'cpu' ? 'processor' : 'graphics processor'}`,
      ),
    ) ?? [],
  ),
])

function toggle(id: number): void {
  shown.value = shown.value.includes(id) ? shown.value.filter(other => other !== id) : [...shown.value, id].slice(-3)
}
</script>

<template>
  <div class="sheet scroll" tabindex="0" role="region" aria-label="Trial sheet">
    <table>
      <thead>
        <tr>
          <th scope="col">Variant</th>
          <th v-for="(moment, index) in moments" :key="index" scope="col" class="moment">
            <button
              type="button"
              :aria-pressed="index === momentAt"
              :class="{ at: index === momentAt }"
              @click="momentAt = index"
            >
              {{ moment.reason.replace(/^(most|worst|a) /, '') }}
            </button>
          </th>
          <th v-if="!onlySound" scope="col">s/frame</th>
          <th scope="col" :title="`Of this item, and of its lot of ${describeCount(lot.count)}`">Time, of the lot</th>
          <th scope="col" :title="`Of this item, and of its lot of ${describeCount(lot.count)}`">Size, of the lot</th>
          <th v-if="onlySound" scope="col">
            <abbr
              title="Loudness of the moments before and after, and the level of what the codec changed below the treated sound."
              >Loudness, coding</abbr
            >
          </th>
          <template v-else>
            <th scope="col">
              <abbr
                title="Likeness of the encoded picture to the treated one: what the spec's compression costs. SSIM 1 is equal; of XPSNR, in dB, more is closer."
                >SSIM, XPSNR</abbr
              >
            </th>
            <th scope="col">
              <abbr
                title="Before and after. Noise: standard deviation in even parts, in codes of 255. Detail: the finest across the picture, in pixels; invented detail counts too, only the eye tells."
                >Noise, detail</abbr
              >
            </th>
            <th scope="col">
              <abbr
                title="Before and after. Blocks: steps at an 8-pixel grid against steps elsewhere, 1 is none. Wobble: change from frame to frame where the source stands still, in codes of 255; textures that swim raise it, taking noise away lowers it."
                >Blocks, wobble</abbr
              >
            </th>
          </template>
        </tr>
      </thead>
      <tbody>
        <tr v-for="row in rows" :key="row.trial.id" :class="{ open: shown.includes(row.trial.id) }">
          <th scope="row">
            <button
              type="button"
              class="name"
              :title="row.trial.label"
              :aria-pressed="shown.includes(row.trial.id)"
              @click="toggle(row.trial.id)"
            >
              <strong class="number">{{ row.letter }}</strong> {{ row.trial.label
              }}<span v-if="namesSpecs" class="muted">, {{ row.trial.spec.name }}</span>
            </button>
            <div class="ends">
              <button
                type="button"
                class="choose"
                :disabled="row.results.length === 0"
                @click="emit('choose', row.trial)"
              >
                Choose {{ row.letter }}
              </button>
              <span v-if="row.failed" class="bad">failed</span>
              <span v-else-if="row.trial.state !== 'ready'" class="muted">{{
                row.trial.state === 'waiting' ? 'waiting' : `${row.results.length} of ${row.trial.moments.length} done`
              }}</span>
              <abbr
                v-if="row.noGain"
                class="look"
                :title="`Held against ${row.over} at three frames of each moment: hardly a difference, or neither more detail nor fewer blocks. The plain way costs less.`"
                >no gain here</abbr
              >
              <button
                type="button"
                class="drop"
                :aria-label="`Remove ${row.letter}`"
                @click="emit('remove', [row.trial.id])"
              >
                <VIcon :icon="mdiClose" size="15" aria-hidden="true" />
              </button>
            </div>
          </th>
          <td v-for="(_, index) in moments" :key="index" class="picture">
            <button
              v-if="row.trial.looks > index"
              type="button"
              :aria-label="`Look at ${row.letter} in the moment ${moments[index]!.reason}`"
              :class="{ at: index === momentAt && shown.includes(row.trial.id) }"
              @click="
                () => {
                  momentAt = index
                  shown.includes(row.trial.id) || toggle(row.trial.id)
                }
              "
            >
              <img :src="addressOf('trialLook', { parameters: { id: row.trial.id, index } })" alt="" loading="lazy" />
            </button>
            <span v-else class="none" aria-hidden="true" />
          </td>
          <template v-if="row.failed"
            ><td :colspan="6" class="bad reason">{{ row.trial.reason }}</td></template
          >
          <template v-else>
            <td v-if="!onlySound" class="number">
              {{ row.forecast?.secondsPerFrame ? perFrame(row.forecast.secondsPerFrame.expected) : '-' }}<br /><span
                v-if="row.forecast?.secondsPerFrame"
                class="muted"
                >{{ perFrame(row.forecast.secondsPerFrame.low) }}-{{
                  perFrame(row.forecast.secondsPerFrame.high)
                }}</span
              >
            </td>
            <td class="number">
              {{ row.forecast ? describeDurationRange(row.forecast.seconds) : '-' }}<br /><span class="muted">{{
                row.forLot ? describeDurationRange(row.forLot.seconds) : ''
              }}</span>
            </td>
            <td class="number">
              {{ row.forecast ? describeBytesRange(row.forecast.bytes) : '-' }}<br /><span class="muted">{{
                row.forLot ? describeBytesRange(row.forLot.bytes) : ''
              }}</span>
            </td>
            <td v-if="isSound(row)" class="number" :colspan="onlySound ? 1 : 3">
              {{ soundFigures(row).loudness }}<br /><abbr
                title="Level of what the codec changed below the treated sound"
                >coding</abbr
              >
              {{ soundFigures(row).coding }}
            </td>
            <td v-if="!isSound(row)" class="number">
              {{ ssim(row) }}<br />{{ xpsnr(row) === '-' ? '' : `${xpsnr(row)} dB` }}
            </td>
            <td v-if="!isSound(row)" class="number">
              {{ figure(row, 'noise', 1) }}<br />{{ figure(row, 'detail', 0) }}
            </td>
            <td v-if="!isSound(row)" class="number">
              {{ figure(row, 'blocking', 2) }}<br />{{ figure(row, 'wobble', 2) }}
            </td>
          </template>
        </tr>
      </tbody>
    </table>
    <p v-if="rows.length > 0" class="muted note">
      Ranges come from the tried moments, made and checked on this machine{{
        rows.some(row => row.forecast?.withCheck === false) ? ', older trials without the check' : ''
      }}. Figures are means and tell amounts, not beauty:
      {{ onlySound ? 'listen yourself' : 'look at faces, text and textures' }}.
    </p>
    <p v-if="opened && costs.length > 0" class="costs">
      <span class="muted">{{ opened.letter }}, seconds a frame by step (all but the check overlap):</span>{{ ' ' }}
      <span v-for="cost in costs" :key="cost.name" class="cost"
        >{{ cost.name }} <span class="number">{{ perFrame(cost.seconds) }}</span></span
      ><span v-if="devices.length > 0" class="muted">{{ devices.join(', ') }}</span>
    </p>
  </div>
</template>

<style scoped>
.sheet {
  flex: 1;
  min-height: 0;
}
table {
  border-collapse: collapse;
  min-width: 100%;
}
thead th {
  position: sticky;
  top: 0;
  z-index: 1;
  text-align: left;
  font-weight: 400;
  color: var(--muted);
  height: 26px;
  padding: 0 5px;
  background: rgb(var(--v-theme-surface));
  box-shadow: inset 0 -1px 0 var(--line);
  white-space: nowrap;
}
abbr {
  text-decoration: underline dotted;
  text-underline-offset: 3px;
  cursor: help;
}
thead .moment {
  padding: 0 2px;
}
thead button {
  min-height: 24px;
  padding: 0 4px;
  max-width: 56px;
  overflow: hidden;
  text-overflow: ellipsis;
}
thead button.at {
  color: rgb(var(--v-theme-on-surface));
  box-shadow: inset 0 -2px 0 var(--accent);
}
tbody th {
  text-align: left;
  font-weight: 400;
  padding: 2px 8px;
  width: 200px;
  min-width: 160px;
  max-width: 220px;
}
tbody td {
  padding: 2px 5px;
  white-space: nowrap;
  line-height: 1.35;
}
tbody tr > * {
  border-bottom: 1px solid var(--line);
}
tr.open > * {
  background: var(--raised);
}
tr.open > th {
  box-shadow: inset 3px 0 0 var(--accent);
}
.name {
  width: 100%;
  min-height: 24px;
  text-align: left;
  display: -webkit-box;
  -webkit-line-clamp: 2;
  -webkit-box-orient: vertical;
  overflow: hidden;
  font-size: 12px;
  line-height: 1.25;
}
.picture {
  padding: 2px;
}
.picture button {
  display: block;
  width: 54px;
  height: 43px;
  border: 1px solid transparent;
}
.picture button.at {
  border-color: var(--accent-text);
}
.picture img {
  width: 100%;
  height: 100%;
  object-fit: cover;
  display: block;
}
.none {
  display: block;
  width: 54px;
  height: 43px;
  background: rgb(var(--v-theme-surface));
}
.reason {
  white-space: normal;
}
.ends {
  display: flex;
  align-items: center;
  gap: 8px;
  font-size: 12px;
}
.choose {
  min-height: 24px;
  padding: 0 8px;
  border: 1px solid var(--muted);
  border-radius: 2px;
  font-weight: 600;
}
.choose:hover:not(:disabled) {
  background: rgb(var(--v-theme-surface));
}
.choose:disabled {
  color: var(--muted);
  border-color: var(--line);
}
.drop {
  min-width: 24px;
  min-height: 24px;
  margin-left: auto;
  color: var(--muted);
}
.note {
  margin: 6px 12px;
}
/* What the open variant's time goes into stays in sight below however many variants there are. */
.costs {
  position: sticky;
  bottom: 0;
  margin: 0;
  padding: 6px 12px;
  background: rgb(var(--v-theme-surface));
  border-top: 1px solid var(--line);
}
.cost {
  display: inline-block;
  margin-right: 12px;
}
</style>
