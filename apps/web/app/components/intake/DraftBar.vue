<script setup lang="ts">
import { describeCount, describeSpec, purposes } from '@hematine/core'
import { useLocalStorage } from '@vueuse/core'
import { computed, ref } from 'vue'
import BulkBar from '~/components/intake/BulkBar.vue'
import { call } from '~/composables/useCall'
import { useNotices } from '~/stores/notices'
import { useOrder } from '~/stores/order'

/** Turns selected sources into drafted jobs. */
const chosen = defineModel<Set<number>>({ required: true })
const moving = defineModel<boolean>('moving', { required: true })
const selected = computed(() => [...chosen.value])
const order = useOrder()
const notices = useNotices()
const router = useRouter()
const specKeys = useLocalStorage<string[]>('hematine-specs', ['playback-box'])
const volumeId = ref<number | null>(null)
/** Drafting that is under way. */
const drafting = ref<{ name: string; count: number; stop: AbortController } | null>(null)
const progress = computed(() =>
  drafting.value && order.drafting?.name === drafting.value.name ? order.drafting : null,
)
const volume = computed(
  () => order.deliveryVolumes.find(entry => entry.id === volumeId.value) ?? order.deliveryVolumes[0] ?? null,
)
const count = computed(() => selected.value.length * specKeys.value.length)
/** Whether a source may become several jobs. */
const cuts = computed(() => order.specs.some(spec => specKeys.value.includes(spec.key) && spec.pieces))

/** The purpose whose specs are chosen, if it is one's. */
const purpose = computed(
  () =>
    purposes.find(
      entry => entry.specs.length === specKeys.value.length && entry.specs.every(key => specKeys.value.includes(key)),
    )?.key ?? null,
)
function choosePurpose(key: string | null): void {
  const found = purposes.find(entry => entry.key === key)
  if (found) specKeys.value = found.specs.filter(entry => order.specs.some(spec => spec.key === entry))
}

async function draft(): Promise<void> {
  if (!volume.value) return
  const wishes = selected.value.flatMap(sourceId => specKeys.value.map(specKey => ({ sourceId, specKey })))
  const progressName = crypto.randomUUID()
  const stop = new AbortController()
  drafting.value = { name: progressName, count: wishes.length, stop }
  const answer = await notices.attempt(() =>
    call('draftJobs', { body: { deliveryVolumeId: volume.value!.id, wishes, progressName } }, stop.signal),
  )
  drafting.value = null
  order.noteJobs()
  if (!answer) return
  const { refused } = answer
  if (refused.length > 3)
    notices.problem(`${refused.length} of ${wishes.length} were not drafted. The first: ${refused[0]!.reason}`)
  else for (const refusal of refused) notices.problem(refusal.reason)
  if (answer.drafted === 0) return
  chosen.value = new Set()
  await router.push('/balance')
}
</script>

<template>
  <div class="bar draft" role="group" aria-label="Draft jobs">
    <span
      ><span class="number">{{ describeCount(selected.length) }}</span> selected</span
    >
    <VSelect
      :model-value="purpose"
      class="purpose"
      :items="purposes"
      item-value="key"
      item-title="name"
      label="For"
      :disabled="selected.length === 0"
      @update:model-value="choosePurpose"
    />
    <VSelect
      v-model="specKeys"
      class="specs"
      :items="order.specs"
      item-value="key"
      item-title="name"
      multiple
      label="Make"
      :disabled="selected.length === 0"
    >
      <template #selection="{ item, index }"
        ><span v-if="index === 0" class="ellipsis"
          >{{ item.name }}{{ specKeys.length > 1 ? ` and ${specKeys.length - 1} more` : '' }}</span
        ></template
      >
      <template #item="{ props: entry, item }"><VListItem v-bind="entry" :subtitle="describeSpec(item)" /></template>
    </VSelect>
    <VSelect
      :model-value="volume?.id"
      class="volume"
      :items="order.deliveryVolumes"
      item-value="id"
      item-title="name"
      label="Into"
      :disabled="selected.length === 0"
      no-data-text="No delivery volume is registered"
      @update:model-value="
        id => {
          volumeId = id
        }
      "
    />
    <VBtn color="primary" :disabled="count === 0 || !volume" :loading="drafting !== null" @click="draft"
      >Draft {{ describeCount(count) }} {{ count === 1 ? 'job' : 'jobs' }}{{ cuts ? ' in pieces' : '' }}</VBtn
    >
    <template v-if="drafting && progress">
      <span class="muted" role="status"
        ><span class="number">{{ describeCount(progress.done) }}</span> of
        <span class="number">{{ describeCount(progress.of) }}</span> worked out</span
      >
      <VBtn variant="text" @click="drafting.stop.abort()">Stop</VBtn>
    </template>
    <span class="spacer" />
    <BulkBar v-model="chosen" v-model:moving="moving" />
    <span v-if="!volume" class="look">Register a delivery volume under Equipment first.</span>
  </div>
</template>

<style scoped>
.draft {
  border-top: 1px solid var(--line);
  border-bottom: 0;
  min-height: 48px;
}
.specs {
  max-width: 250px;
}
.purpose {
  max-width: 150px;
}
.volume {
  max-width: 140px;
}
</style>
