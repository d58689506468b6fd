<script setup lang="ts">
import { describeBytes, framesPresent, rational } from '@hematine/core'
import { mdiDisc, mdiFolderOutline, mdiSubdirectoryArrowLeft } from '@mdi/js'
import { computed, ref, watch } from 'vue'
import type { DirectoryListing } from '#shared/api'
import AskDialog from '~/components/common/AskDialog.vue'
import DiscTitles from '~/components/intake/DiscTitles.vue'
import StateMark from '~/components/common/StateMark.vue'
import { useClosing } from '~/composables/useClosing'
import { sequenceRates } from '~/composables/sequence-rates'
import { call } from '~/composables/useCall'
import { useNotices } from '~/stores/notices'
import { useOrder } from '~/stores/order'

const emit = defineEmits<{ close: [] }>()
const order = useOrder()
const notices = useNotices()
const open = useClosing(() => emit('close'))
const volumeId = ref(order.sourceVolumes[0]?.id ?? null)
const path = ref('')
const listing = ref<DirectoryListing | null>(null)
const chosen = ref<string[]>([])
/** The disc whose titles are shown instead of the directory. */
const disc = ref<string | null>(null)
const titles = ref<number[]>([])
const rate = ref(rational(25))

const discs = computed(() => listing.value?.items.filter(item => item.kind === 'disc') ?? [])
const items = computed(() => listing.value?.items.filter(item => item.kind !== 'disc') ?? [])
const directories = computed(
  () => listing.value?.directories.filter(directory => !discs.value.some(item => item.path === directory.path)) ?? [],
)
const fresh = computed(() => items.value.filter(item => item.sourceId === null))
const chosenItems = computed(() => fresh.value.filter(item => chosen.value.includes(item.path)))
const hasSequence = computed(() => chosenItems.value.some(item => item.kind === 'sequence'))
const parent = computed(() => (path.value.includes('/') ? path.value.slice(0, path.value.lastIndexOf('/')) : ''))

watch(
  [volumeId, path],
  async () => {
    if (volumeId.value === null) return
    chosen.value = []
    disc.value = null
    const asked = [volumeId.value, path.value] as const
    const answer = await notices.attempt(() =>
      call('listDirectory', {
        parameters: { id: asked[0] },
        query: { path: asked[1], ...(order.order ? { orderId: order.order.id } : {}) },
      }),
    )
    if (answer && asked[0] === volumeId.value && asked[1] === path.value) listing.value = answer
  },
  { immediate: true },
)

function chooseAll(): void {
  chosen.value = chosen.value.length === fresh.value.length ? [] : fresh.value.map(item => item.path)
}

/** The folder that is shown, with all below it: gone through once, or watched from now on. */
async function takeFolder(how: 'beginScan' | 'beginWatch'): Promise<void> {
  const body = { orderId: order.order!.id, volumeId: volumeId.value!, path: path.value, frameRate: rate.value }
  const begun = await notices.attempt<unknown>(() =>
    how === 'beginScan'
      ? order.asking.scans(call('beginScan', { body }), scan => [scan])
      : order.asking.watches(call('beginWatch', { body }), watch => [watch]),
  )
  if (!begun) return
  emit('close')
}

async function bringIn(): Promise<void> {
  const arrivals =
    disc.value !== null
      ? titles.value.map(title => ({ kind: 'title' as const, volumeId: volumeId.value!, path: disc.value!, title }))
      : chosenItems.value.flatMap(item =>
          item.kind === 'disc'
            ? []
            : [
                {
                  kind: item.kind,
                  volumeId: volumeId.value!,
                  path: item.path,
                  ...(item.kind === 'sequence' ? { frameRate: rate.value } : {}),
                },
              ],
        )
  const answer = await notices.attempt(() => call('bringIn', { body: { orderId: order.order!.id, arrivals } }))
  if (!answer) return
  order.noteSources(answer.brought.map(source => source.id))
  emit('close')
}
</script>

<template>
  <AskDialog v-model="open" title="Bring in from a volume" :width="720">
    <VSelect
      v-model="volumeId"
      :items="order.sourceVolumes"
      item-value="id"
      item-title="name"
      label="Source volume"
      no-data-text="No source volume is registered; see Equipment"
      @update:model-value="path = ''"
    />
    <div class="muted">{{ disc ?? (path === '' ? 'Top of the volume' : path) }}</div>
    <DiscTitles
      v-if="disc !== null && volumeId !== null"
      v-model="titles"
      class="entries scroll"
      :volume-id="volumeId"
      :path="disc"
      @close="disc = null"
    />
    <div v-else class="entries scroll" role="group" aria-label="Contents">
      <button v-if="path !== ''" type="button" class="entry" @click="path = parent">
        <VIcon :icon="mdiSubdirectoryArrowLeft" size="16" aria-hidden="true" /> one directory up
      </button>
      <template v-if="listing">
        <button
          v-for="directory in directories"
          :key="directory.path"
          type="button"
          class="entry"
          @click="path = directory.path"
        >
          <VIcon :icon="mdiFolderOutline" size="16" aria-hidden="true" />{{ ' ' }}
          <span class="ellipsis">{{ directory.name }}</span>
        </button>
        <button v-for="item in discs" :key="item.path" type="button" class="entry" @click="disc = item.path">
          <VIcon :icon="mdiDisc" size="16" aria-hidden="true" /> <span class="ellipsis">{{ item.name }}</span><span
            class="spacer"
          /><span class="muted">{{
            item.bytes === null ? 'disc folder' : `disc image, ${describeBytes(item.bytes)}`
          }}</span>
        </button>
        <label v-for="item in items" :key="item.path" class="entry">
          <input v-model="chosen" type="checkbox" :value="item.path" :disabled="item.sourceId !== null" />
          <span class="ellipsis">{{ item.name }}</span>
          <span class="spacer" />
          <span v-if="item.sourceId !== null" class="muted">in the order</span>
          <span v-else-if="item.sequence" class="number muted"
            >{{ framesPresent(item.sequence) }} frames<template v-if="item.sequence.missing.length > 0"
              >, gaps</template
            ></span
          >
          <span v-else class="number muted">{{ describeBytes(item.bytes ?? 0) }}</span>
        </label>
        <div v-for="entry in listing.refused" :key="entry.name" class="entry">
          <StateMark state="refused" /> <span class="ellipsis">{{ entry.name }}</span>{{ ' ' }}
          <span class="muted ellipsis">{{ entry.reason }}</span>
        </div>
        <div
          v-if="listing.directories.length + listing.items.length + listing.refused.length === 0"
          class="entry muted"
        >
          This directory is empty.
        </div>
      </template>
      <div v-else class="entry muted" role="status">
        {{ volumeId === null ? 'Register a source volume under Equipment first.' : 'Reading the directory' }}
      </div>
    </div>
    <div v-if="disc === null" class="folder">
      <span class="muted">This folder and all below it:</span>
      <VBtn :disabled="!listing || !order.order" @click="takeFolder('beginScan')">Bring in everything</VBtn>
      <VBtn :disabled="!listing || !order.order" @click="takeFolder('beginWatch')">Watch for new files</VBtn>
    </div>
    <template #buttons>
      <VSelect
        v-if="hasSequence && disc === null"
        v-model="rate"
        class="rate"
        :items="sequenceRates"
        label="Rate of sequences"
      />
      <VBtn v-if="disc === null" variant="text" :disabled="fresh.length === 0" @click="chooseAll">{{
        fresh.length > 0 && chosen.length === fresh.length ? 'Choose none' : `Choose all ${fresh.length}`
      }}</VBtn>
      <VBtn variant="text" @click="emit('close')">Cancel</VBtn>
      <VBtn v-if="disc !== null" color="primary" :disabled="titles.length === 0 || !order.order" @click="bringIn"
        >Bring in {{ titles.length }} {{ titles.length === 1 ? 'title' : 'titles' }}</VBtn
      >
      <VBtn v-else color="primary" :disabled="chosenItems.length === 0 || !order.order" @click="bringIn"
        >Bring in {{ chosenItems.length }} {{ chosenItems.length === 1 ? 'item' : 'items' }}</VBtn
      >
    </template>
  </AskDialog>
</template>

<style scoped>
.entries {
  height: 340px;
}
.rate {
  max-width: 160px;
}
.folder {
  display: flex;
  align-items: center;
  gap: 8px;
}
</style>
