<script setup lang="ts">
import { describeCount, describeDurationRange, describeTimes, type Range, type Supposed } from '@hematine/core'
import { computed } from 'vue'
import { instantOf, latenessWords, localMoment, momentRange } from '~/composables/times'
import { percentWords, type Outlook } from '~/composables/useOutlook'

/** Orders with what comes of them, as it is and, below it, as is supposed. */
const { asIs, ifSo } = defineProps<{ asIs: Outlook; ifSo: Outlook | null }>()
const supposed = defineModel<Supposed>({ required: true })

type Prospect = Outlook['orders'][number]
const rows = computed(() => {
  const then = new Map(ifSo?.orders.map(entry => [entry.id, entry]))
  const now = new Set(asIs.orders.map(({ id }) => id))
  const added = ifSo?.orders.filter(({ id }) => !now.has(id)) ?? []
  return [
    ...added.map(order => ({ order, now: null, then: order as Prospect | null })),
    ...asIs.orders.map(order => ({ order, now: order as Prospect | null, then: then.get(order.id) ?? null })),
  ].map(row => ({ ...row, cells: cellsOf(row.now, row.then) }))
})

const ends = (end: Range | null, { at, lanes }: Outlook) =>
  end ? momentRange(end, new Date(at)) : lanes === 0 ? 'no lane' : 'not known'
/** How probable it is, and how often this is the order that slips first, where that is not plain. */
function chance({ inTime, lateFirst, dueAt }: Prospect): string {
  if (dueAt === null) return ''
  if (inTime === null || lateFirst === null) return 'not known'
  const isPlain = lateFirst < 0.05 || Math.abs(1 - inTime - lateFirst) < 0.02
  return isPlain ? percentWords(inTime) : `${percentWords(inTime)}, first to slip in ${percentWords(lateFirst)}`
}
const late = (entry: Prospect) => (entry.dueAt === null ? '' : entry.end ? latenessWords(entry.lateSeconds) : '')
/** From here on a due time is no longer one to count on. */
const surePart = 0.9

/** What a cell says as it is, and as is supposed where that is told. */
function cellsOf(now: Prospect | null, then: Prospect | null) {
  const of = (says: (entry: Prospect, outlook: Outlook) => string, isLook: (entry: Prospect) => boolean) => ({
    now: now && says(now, asIs),
    isLook: now !== null && isLook(now),
    then: ifSo && (then ? says(then, ifSo) : 'left out'),
    isLookThen: then !== null && isLook(then),
  })
  return [
    of(
      ({ end }, outlook) => ends(end, outlook),
      () => false,
    ),
    of(late, ({ lateSeconds }) => lateSeconds > 0),
    of(chance, ({ inTime }) => inTime !== null && inTime < surePart),
  ]
}

const has = (list: readonly number[], id: number) => list.includes(id)
function toggle(key: 'first' | 'without', id: number): void {
  const there = has(supposed.value[key], id)
  const others = supposed.value[key].filter(entry => entry !== id)
  supposed.value = { ...supposed.value, [key]: there ? others : [...others, id] }
}

function supposeDue(order: Prospect, event: Event): void {
  const own = asIs.orders.find(({ id }) => id === order.id)?.dueAt ?? null
  const local = (event.target as HTMLInputElement).value
  const others = supposed.value.due.filter(({ orderId }) => orderId !== order.id)
  // The field holds whole minutes.
  const isOwn = local === localMoment(own)
  supposed.value = {
    ...supposed.value,
    due: isOwn ? others : [...others, { orderId: order.id, dueAt: instantOf(local) }],
  }
}
const dueOf = (order: Prospect) => {
  const entry = supposed.value.due.find(({ orderId }) => orderId === order.id)
  return localMoment(entry ? entry.dueAt : order.dueAt)
}
const isSupposedDue = ({ id }: Prospect) => supposed.value.due.some(({ orderId }) => orderId === id)
</script>

<template>
  <table class="rows orders" aria-label="Orders">
    <thead>
      <tr>
        <th scope="col" class="first">Order</th>
        <th scope="col" class="end">Jobs</th>
        <th scope="col" class="end">Device time</th>
        <th scope="col">Due</th>
        <th scope="col">Ends</th>
        <th scope="col">Late</th>
        <th scope="col">Chance to be in time</th>
        <th scope="col">What if it came</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="{ order, now, cells } in rows" :key="order.id">
        <td class="name">
          <span class="number">{{ order.code }}</span> <span class="muted">{{ order.name }}</span>
          <span v-if="order.lateWeight > 1" class="second muted"
            >lateness counts {{ describeTimes(order.lateWeight) }}</span
          >
        </td>
        <td class="end number">
          {{ describeCount(order.jobs)
          }}<span v-if="order.unknown > 0" class="look second">{{ describeCount(order.unknown) }} not known</span>
        </td>
        <td class="end number">{{ order.seconds.expected > 0 ? describeDurationRange(order.seconds) : '' }}</td>
        <td>
          <input
            v-if="now"
            type="datetime-local"
            max="9999-12-31T23:59"
            :aria-label="`What if ${order.code} were due`"
            :value="dueOf(order)"
            class="plain"
            :class="{ supposed: isSupposedDue(order) }"
            @change="supposeDue(order, $event)"
          /><span v-else class="number">{{ localMoment(order.dueAt).replace('T', ' ') || 'none' }}</span>
        </td>
        <td v-for="(cell, index) in cells" :key="index" class="number">
          <span v-if="cell.now !== null" :class="{ look: cell.isLook, muted: cell.then !== null }">{{ cell.now }}</span>
          <span v-if="cell.then !== null && cell.then !== ''" class="second then" :class="{ look: cell.isLookThen }"
            ><span class="visually-hidden">if so: </span>{{ cell.then }}</span
          >
        </td>
        <td>
          <template v-if="now">
            <VBtn
              variant="text"
              :height="24"
              :aria-pressed="has(supposed.first, order.id)"
              :class="{ on: has(supposed.first, order.id) }"
              :aria-label="`First: ${order.code}`"
              @click="toggle('first', order.id)"
              >first</VBtn
            >
            <VBtn
              variant="text"
              :height="24"
              :aria-pressed="has(supposed.without, order.id)"
              :class="{ on: has(supposed.without, order.id) }"
              :aria-label="`Not at all: ${order.code}`"
              @click="toggle('without', order.id)"
              >not at all</VBtn
            >
          </template>
        </td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
.orders td {
  padding-top: 3px;
  padding-bottom: 3px;
}
.name {
  max-width: 230px;
  overflow: hidden;
  text-overflow: ellipsis;
}
input {
  width: 172px;
}
input.supposed,
.on {
  box-shadow: inset 0 0 0 1px var(--accent-text);
}
</style>
