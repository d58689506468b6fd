<script setup lang="ts">
import { describeBytes, describeClock, describeCount, type PlannedSource } from '@hematine/core'
import { computed, ref, watch } from 'vue'
import AskDialog from '~/components/common/AskDialog.vue'
import EmptyState from '~/components/common/EmptyState.vue'
import StateMark from '~/components/common/StateMark.vue'
import InventoryReader from '~/components/intake/InventoryReader.vue'
import { useClosing } from '~/composables/useClosing'
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
/** What would be planned: what is chosen of what is still to come, or all of it. */
const toPlan = computed(() => {
  const ids = new Set(chosen.value)
  return coming.value.filter(item => ids.size === 0 || ids.has(item.id))
})
async function plan(): Promise<void> {
  const done = await notices.attempt(async () => {
    await call('planInventory', { body: { ids: toPlan.value.map(({ id }) => id), specKey: specKey.value } })
    return true
  })
  if (done) chosen.value = []
  await order.loadInventory()
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
  <AskDialog v-model="open" :title="file ? `Inventory: ${file.name}` : 'Inventory'" :width="920">
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
          {{ chosen.length > 0 ? 'chosen' : 'to come' }}</VBtn
        >
        <span class="muted"
          >What is planned can be counted in Balance, All orders, before it is here: by what was measured with the same
          spec.</span
        >
      </div>
      <div class="entries scroll list" role="group" aria-label="Inventory" tabindex="0">
        <label v-for="item in order.inventory" :key="item.id" class="entry">
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
          <span v-if="item.sourceId === null && item.specKey" class="muted ellipsis with">{{
            specNames.get(item.specKey) ?? item.specKey
          }}</span>
          <span v-if="item.differences.length > 0" class="look ellipsis differs" :title="item.differences.join(', ')">{{
            item.differences.join(', ')
          }}</span>
          <button
            v-if="item.sourceId !== null"
            type="button"
            class="link"
            @click.prevent="emit('open', item.sourceId!)"
          >
            Open
          </button>
        </label>
      </div>
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
  height: 390px;
}
.state {
  flex: 0 0 74px;
}
.name {
  flex: 0 0 190px;
}
.carrier {
  flex: 0 0 104px;
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
.link {
  text-decoration: underline;
  min-height: 24px;
  min-width: 24px;
}
</style>
