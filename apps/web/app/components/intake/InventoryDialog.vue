<script setup lang="ts">
import { describeBytes, describeClock, describeCount, type PlannedRecord, type PlannedSource } from '@hematine/core'
import { useNow } from '@vueuse/core'
import { computed, ref, watch } from 'vue'
import AskDialog from '~/components/common/AskDialog.vue'
import EmptyState from '~/components/common/EmptyState.vue'
import StateMark from '~/components/common/StateMark.vue'
import InventoryReader from '~/components/intake/InventoryReader.vue'
import { useClosing } from '~/composables/useClosing'
import { instantOf, moment } from '~/composables/times'
import { call } from '~/composables/useCall'
import { useNotices } from '~/stores/notices'
import { useOrder } from '~/stores/order'

/** Material that is announced: what came of it, and a table that announces more. */
const emit = defineEmits<{ close: []; open: [sourceId: number] }>()
const order = useOrder()
const notices = useNotices()
const open = useClosing(() => emit('close'))
const file = ref<{ name: string; text: string } | null>(null)
const picker = ref<HTMLInputElement>()
const chosen = ref<number[]>([])
const sources = ref<PlannedSource[]>([])
// What a source is decides whether it is as it was announced; that is asked for while somebody looks.
watch(
  () => order.sourceChange,
  () => void order.inventorySoon(),
  { immediate: true },
)
const coming = computed(() => order.inventory.filter(item => item.sourceId === null))
const specNames = computed(() => new Map(order.specs.map(spec => [spec.key, spec.name])))
const planned = computed(() => coming.value.filter(item => item.specKey !== null))
const specKey = ref(order.specs[0]?.key ?? null)
const filter = ref('')
const shown = computed(() => {
  const text = filter.value.trim().toLowerCase()
  return order.inventory.filter(({ planned: { name, carrier } }) =>
    [name, carrier ?? ''].some(words => words.toLowerCase().includes(text)),
  )
})
const chosenIds = computed(() => new Set(chosen.value))
const areAllChosen = computed(() => shown.value.length > 0 && shown.value.every(({ id }) => chosenIds.value.has(id)))
function chooseShown(): void {
  const ids = new Set(shown.value.map(({ id }) => id))
  const others = chosen.value.filter(id => !ids.has(id))
  chosen.value = areAllChosen.value ? others : [...others, ...ids]
}
const chosenToCome = computed(() => coming.value.filter(({ id }) => chosenIds.value.has(id)))
/** What would be planned, of what is still to come: what is chosen; where nothing is, what has no spec yet, so that no plan is lost by a press. */
const toPlan = computed(() =>
  chosen.value.length > 0 ? chosenToCome.value : coming.value.filter(item => item.specKey === null),
)
/** Changes items, which are no longer chosen then. */
async function change(ask: () => Promise<unknown>): Promise<void> {
  const done = await notices.attempt(async () => {
    await ask()
    return true
  })
  if (done) chosen.value = []
  await order.loadInventory()
}
const plan = () =>
  change(() => call('planInventory', { body: { ids: toPlan.value.map(({ id }) => id), specKey: specKey.value } }))
/** When what is chosen is expected, as a field for date and time holds it. */
const expected = ref('')
const expect = () =>
  change(() =>
    call('expectInventory', {
      body: { ids: chosenToCome.value.map(({ id }) => id), expectedAt: instantOf(expected.value) },
    }),
  )
/** What an item is planned with, as a row says it. */
function withWords({ specKey, likeName }: PlannedRecord): string {
  return likeName === null ? (specNames.value.get(specKey!) ?? specKey!) : `like ${likeName}`
}
const now = useNow({ interval: 30_000 })
/** When an item is expected, as a row says it. */
function expectedWords(expectedAt: string): string {
  const at = new Date(expectedAt)
  return `${at < now.value ? 'overdue since' : 'expected'} ${moment(at, now.value)}`
}

async function pick(event: Event): Promise<void> {
  const input = event.target as HTMLInputElement
  const [picked] = input.files ?? []
  input.value = ''
  if (!picked) return
  if (picked.size > 8_000_000)
    return notices.problem(
      `${picked.name} is larger than 8 MB, which no inventory of 10000 lines is. Choose the CSV file itself.`,
    )
  file.value = { name: picked.name, text: await picked.text() }
}

async function add(): Promise<void> {
  const answer = await notices.attempt(() =>
    call('addToInventory', { body: { orderId: order.order!.id, sources: sources.value } }),
  )
  if (!answer) return
  await order.loadInventory()
  file.value = null
}

async function remove(): Promise<void> {
  await notices.attempt(() => call('removeFromInventory', { body: { ids: chosen.value } }))
  chosen.value = []
  await order.loadInventory()
}

function describeItem({ seconds, width, height, framesPerSecond, scan, codec, bytes }: PlannedSource): string {
  return [
    seconds === null ? '' : describeClock(seconds),
    width === null ? '' : `${width}x${height}`,
    framesPerSecond === null ? '' : `${Number(framesPerSecond.toFixed(3))} fps`,
    scan ?? '',
    codec ?? '',
    bytes === null ? '' : describeBytes(bytes),
  ]
    .filter(Boolean)
    .join(', ')
}
</script>

<template>
  <AskDialog v-model="open" :title="file ? `Inventory: ${file.name}` : 'Inventory'" :width="1100">
    <input
      ref="picker"
      type="file"
      accept=".csv,.tsv,.txt,text/csv"
      class="visually-hidden"
      tabindex="-1"
      aria-label="Table to read"
      @change="pick"
    />
    <InventoryReader v-if="file" v-model="sources" :text="file.text" />
    <EmptyState v-else-if="order.inventory.length === 0" title="No material is announced"
      >A table of what will come (CSV) makes planned sources. Files that arrive are matched to them by name, and what
      differs is named.</EmptyState
    >
    <template v-else>
      <div class="muted">
        {{ coming.length }} of {{ order.inventory.length }} still to come:
        {{ describeClock(coming.reduce((sum, item) => sum + (item.planned.seconds ?? 0), 0)) }} and
        {{ describeBytes(coming.reduce((sum, item) => sum + (item.planned.bytes ?? 0), 0)) }} as announced, where the
        table says so. {{ planned.length > 0 ? `${describeCount(planned.length)} planned with a spec.` : '' }}
      </div>
      <div v-if="coming.length > 0" class="plan" role="group" aria-label="Plan what is to come">
        <VSelect
          v-model="specKey"
          class="spec"
          :items="[...order.specs, { key: null, name: 'no spec' }]"
          item-value="key"
          item-title="name"
          aria-label="Spec to plan with"
          hide-details
        />
        <VBtn :height="28" :disabled="toPlan.length === 0" @click="plan"
          >{{ specKey === null ? 'Plan without a spec:' : 'Plan with it:' }} {{ describeCount(toPlan.length) }}
          {{ chosen.length > 0 ? 'chosen' : 'not planned yet' }}</VBtn
        >
        <span class="muted"
          >What is planned can be counted in Balance, All orders, before it is here: by what was measured with the same
          spec.</span
        >
      </div>
      <div v-if="coming.length > 0" class="plan" role="group" aria-label="When what is to come is expected">
        <label class="tick"
          >expected <input v-model="expected" class="plain" type="datetime-local" max="9999-12-31T23:59"
        /></label>
        <VBtn :height="28" :disabled="chosenToCome.length === 0" @click="expect"
          >{{ expected ? 'Expected then:' : 'Nobody knows when:' }}
          {{ describeCount(chosenToCome.length) }} chosen</VBtn
        >
        <span class="muted">No plan begins with it before. Without a time it is taken for here.</span>
      </div>
      <div class="plan">
        <label class="tick"
          ><input type="checkbox" :checked="areAllChosen" @change="chooseShown" /> choose
          {{ describeCount(shown.length) }} shown</label
        >
        <label class="tick">name or carrier contains <input v-model="filter" class="plain" maxlength="80" /></label>
      </div>
      <VVirtualScroll
        class="entries list"
        role="group"
        aria-label="Inventory"
        tabindex="0"
        :items="shown"
        item-key="id"
        :item-height="31"
      >
        <template #default="{ item }">
          <label class="entry">
            <input v-model="chosen" type="checkbox" :value="item.id" />
            <StateMark
              class="state"
              :state="item.sourceId === null ? 'waiting' : item.differences.length > 0 ? 'look' : 'done'"
              :label="item.sourceId === null ? 'to come' : item.differences.length > 0 ? 'differs' : 'here'"
            />
            <span class="ellipsis name">{{ item.planned.name }}</span>
            <span class="muted ellipsis carrier">{{ item.planned.carrier }}</span>
            <span v-if="item.differences.length === 0" class="number muted ellipsis details">{{
              describeItem(item.planned)
            }}</span>
            <span v-if="item.sourceId === null && item.specKey" class="muted ellipsis with" :title="withWords(item)">{{
              withWords(item)
            }}</span>
            <span
              v-if="item.sourceId === null && item.planned.expectedAt"
              class="ellipsis when number"
              :class="new Date(item.planned.expectedAt) < now ? 'look' : 'muted'"
              >{{ expectedWords(item.planned.expectedAt) }}</span
            >
            <span
              v-if="item.differences.length > 0"
              class="look ellipsis differs"
              :title="item.differences.join(', ')"
              >{{ item.differences.join(', ') }}</span
            >
            <button
              v-if="item.sourceId !== null"
              type="button"
              class="link"
              @click.prevent="emit('open', item.sourceId!)"
            >
              Open
            </button>
          </label>
        </template>
      </VVirtualScroll>
    </template>
    <template #buttons>
      <template v-if="file">
        <VBtn variant="text" @click="file = null">Back</VBtn>
        <VBtn color="primary" :disabled="sources.length === 0 || !order.order" @click="add"
          >Add {{ sources.length }} {{ sources.length === 1 ? 'item' : 'items' }}</VBtn
        >
      </template>
      <template v-else>
        <VBtn v-if="chosen.length > 0" variant="text" @click="remove">Take {{ chosen.length }} out</VBtn>
        <VBtn variant="text" @click="emit('close')">Close</VBtn>
        <VBtn color="primary" :disabled="!order.order" @click="picker?.click()">Read a table</VBtn>
      </template>
    </template>
  </AskDialog>
</template>

<style scoped>
.list {
  height: 330px;
}
.state {
  flex: 0 0 74px;
}
.name {
  flex: 0 0 176px;
}
.carrier {
  flex: 0 0 136px;
}
.details {
  flex: 1;
  min-width: 0;
}
.differs {
  flex: 1;
  min-width: 0;
}
.plan {
  display: flex;
  align-items: center;
  gap: 10px;
}
.spec {
  flex: 0 0 220px;
}
.with {
  flex: 0 0 120px;
}
.when {
  flex: 0 0 178px;
}
.link {
  text-decoration: underline;
  min-height: 24px;
  min-width: 24px;
}
</style>
