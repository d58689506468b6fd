<script setup lang="ts">
import { describeBytes, describeCount, describeDuration, plentyXpsnr, type Way } from '@hematine/core'
import { computed } from 'vue'
import MiddleName from '~/components/common/MiddleName.vue'
import type { WaysFound } from '~/composables/useWays'

/** Lots against the ways in which they can be done; one of each row is chosen, by what is asked or by hand. */
const { found } = defineProps<{ found: WaysFound }>()
const emit = defineEmits<{
  choose: [lot: WaysFound['lots'][number], specKey: string | null]
  weigh: [lot: WaysFound['lots'][number], weight: number]
}>()

type Lot = WaysFound['lots'][number]
const mostWeight = 10
/** Widths in pixels: of a lot and what it counts, and of a spec at least. Beyond what there is room for, the table is scrolled sideways. */
const [firstColumns, columnWidth] = [258, 190]
/** Specs that any lot has a way with, in their order. */
const columns = computed(() =>
  found.specs.filter(({ specKey }) => found.lots.some(({ ways }) => ways.some(way => way.specKey === specKey))),
)

const likenessWords = ({ likeness }: Way) => (likeness === null ? 'identical' : `${likeness.toFixed(1)} dB`)
/** Of how many drafts the likeness was measured, where not of all. */
const measuredWords = ({ likenessKnown, jobs }: Way) =>
  likenessKnown < jobs ? `; ${describeCount(likenessKnown)} of ${describeCount(jobs)} measured` : ''
const counted = ({ likeness }: Way) => Math.min(plentyXpsnr, likeness ?? plentyXpsnr)
const sign = (value: number) => (value < 0 ? '−' : '+')
/** What a way comes to beside the one that is chosen. */
function difference(way: Way, chosen: Way): string {
  const seconds = way.seconds.expected - chosen.seconds.expected
  const bytes = way.bytes.expected - chosen.bytes.expected
  const decibels = counted(way) - counted(chosen)
  return [
    `${sign(seconds)}${describeDuration(Math.abs(seconds))}`,
    `${sign(bytes)}${describeBytes(Math.abs(bytes))}`,
    `${sign(decibels)}${Math.abs(decibels).toFixed(1)} dB`,
  ].join(', ')
}
const rows = computed(() =>
  found.lots.map(lot => {
    const chosen = lot.ways.find(({ specKey }) => specKey === lot.chosen) ?? null
    return {
      lot,
      cells: columns.value.map(({ specKey }) => {
        const way = lot.ways.find(entry => entry.specKey === specKey) ?? null
        return {
          specKey,
          way,
          isChosen: way !== null && way === chosen,
          says: way && way.because === null && chosen && way !== chosen ? difference(way, chosen) : '',
        }
      }),
    }
  }),
)

function press(lot: Lot, specKey: string): void {
  emit('choose', lot, lot.isByHand && lot.chosen === specKey ? null : specKey)
}
function weigh(lot: Lot, event: Event): void {
  const field = event.target as HTMLInputElement
  const value = field.valueAsNumber
  if (Number.isFinite(value) && value >= 0 && value <= mostWeight) emit('weigh', lot, value)
  else field.value = String(lot.weight)
}
</script>

<template>
  <table
    class="rows ways"
    aria-label="Lots and their ways"
    :style="{ minWidth: `${firstColumns + columnWidth * columns.length}px` }"
  >
    <thead>
      <tr>
        <th scope="col" class="first">Lot</th>
        <th scope="col" class="end weight">Weight</th>
        <th v-for="column in columns" :key="column.specKey" scope="col">{{ column.specName }}</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="{ lot, cells } in rows" :key="lot.lotId ?? 0">
        <th scope="row" class="lot">
          <span class="lot-name"
            ><MiddleName :name="lot.name" /><span class="muted number">{{ describeDuration(lot.material) }}</span></span
          >
          <span class="lot-name second muted"
            ><MiddleName :name="lot.sourceName" /><span v-if="lot.sources > 1"
              >and {{ describeCount(lot.sources - 1) }} more</span
            ></span
          >
        </th>
        <td class="end">
          <input
            type="number"
            class="plain number"
            min="0"
            :max="mostWeight"
            step="0.5"
            :value="lot.weight"
            :aria-label="`Weight of ${lot.name}`"
            @change="weigh(lot, $event)"
          />
        </td>
        <td v-for="cell in cells" :key="cell.specKey" class="cell">
          <button
            v-if="cell.way && cell.way.because === null"
            type="button"
            class="way"
            :class="{ chosen: cell.isChosen, hand: cell.isChosen && lot.isByHand }"
            :aria-pressed="cell.isChosen"
            :aria-label="`${cell.way.specName} for ${lot.name}${cell.isChosen && lot.isByHand ? ', chosen by hand' : ''}`"
            @click="press(lot, cell.specKey)"
          >
            <span class="figures number"
              ><span>{{ describeDuration(cell.way.seconds.expected) }}</span
              ><span>{{ describeBytes(cell.way.bytes.expected) }}</span
              ><span>{{ likenessWords(cell.way) }}</span></span
            >
            <span class="second muted number"
              >{{ cell.isChosen ? (lot.isByHand ? 'chosen by hand' : 'chosen') : cell.says
              }}{{ measuredWords(cell.way) }}</span
            >
          </button>
          <span v-else-if="cell.way" class="muted because">{{ cell.way.because }}</span>
          <span v-else class="muted because">no drafts</span>
        </td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
.ways td,
.ways th {
  vertical-align: top;
}
.ways th.first {
  width: 190px;
  padding-left: 12px;
}
.ways .second {
  font-size: 12px;
}
.way .second {
  white-space: normal;
}
.ways tbody th {
  border-top: 1px solid var(--line);
}
.ways th:first-child {
  position: sticky;
  left: 0;
  z-index: 1;
  background: rgb(var(--v-theme-background));
}
.ways {
  table-layout: fixed;
}
.lot {
  padding: 4px 6px 4px 12px;
  font-weight: 400;
  text-align: left;
}
.lot-name,
.ways .lot-name.second {
  display: flex;
  justify-content: space-between;
  gap: 8px;
}
.weight {
  width: 68px;
}
.plain {
  width: 48px;
}
.cell {
  padding: 2px 0;
}
.way {
  display: block;
  width: 100%;
  min-height: 40px;
  padding: 3px 6px;
  text-align: left;
  white-space: normal;
  border: 1px solid transparent;
  border-radius: 2px;
}
.way:hover {
  border-color: var(--line);
}
.way.chosen {
  border-color: var(--accent-text);
}
.way.hand {
  box-shadow: inset 3px 0 0 var(--accent-text);
}
.figures {
  display: flex;
  flex-wrap: wrap;
  gap: 0 9px;
}
.because {
  display: block;
  white-space: normal;
  padding: 3px 6px;
  font-size: 12px;
}
</style>
