<script setup lang="ts">
import type { SourceRecord } from '@hematine/core'
import { computed, ref, shallowRef, watch } from 'vue'
import EmptyState from '~/components/common/EmptyState.vue'
import SplitPane from '~/components/common/SplitPane.vue'
import DraftBar from '~/components/intake/DraftBar.vue'
import DriveDialog from '~/components/intake/DriveDialog.vue'
import DropZone from '~/components/intake/DropZone.vue'
import FilterBar from '~/components/intake/FilterBar.vue'
import FolderList from '~/components/intake/FolderList.vue'
import InventoryDialog from '~/components/intake/InventoryDialog.vue'
import LotDialog from '~/components/intake/LotDialog.vue'
import LotTable from '~/components/intake/LotTable.vue'
import SourceDetail from '~/components/intake/SourceDetail.vue'
import UploadList from '~/components/intake/UploadList.vue'
import VolumeBrowser from '~/components/intake/VolumeBrowser.vue'
import { askingOrder } from '~/composables/askingOrder'
import { call, CallProblem } from '~/composables/useCall'
import { useIntake } from '~/stores/intake'
import { useOrder } from '~/stores/order'
import { useUploads } from '~/stores/uploads'

useHead({ title: 'Intake - Hematine' })
const order = useOrder()
const intake = useIntake()
const uploads = useUploads()
const route = useRoute()
const router = useRouter()
const browsing = ref(false)
const atDrive = ref(false)
const inventory = ref(false)
const toCome = computed(() => order.inventory.filter(item => item.sourceId === null).length)
const files = ref<HTMLInputElement>()
const selected = ref(new Set<number>())
const moving = ref(false)
const renaming = ref<number | null>(null)

/** The open source is in the address, so that a view can be shared and reloaded. */
const open = computed<number | null>({
  get: () => Number(route.query.source) || null,
  set: id => {
    void router.replace({ query: id === null ? {} : { source: id } })
  },
})
const openSource = shallowRef<SourceRecord | null>(null)
const reading = askingOrder()
async function readOpen(): Promise<void> {
  const id = open.value
  const counts = reading.ask()
  if (id === null) return void (openSource.value = null)
  try {
    const source = await call('readSource', { parameters: { id } })
    if (counts() && open.value === id) openSource.value = source
  } catch (error) {
    if (!(error instanceof CallProblem)) throw error
    if (counts() && open.value === id) openSource.value = null
  }
}
watch(open, () => void readOpen(), { immediate: true })
watch(
  () => order.sourceChange,
  ({ ids }) => {
    if (open.value !== null && (ids.size === 0 || ids.has(open.value))) void readOpen()
  },
)
const isEmpty = computed(() => order.counts.all === 0)

function pick(event: Event): void {
  const input = event.target as HTMLInputElement
  uploads.add([...(input.files ?? [])].map(file => ({ file, directory: '' })))
  input.value = ''
}
</script>

<template>
  <DropZone class="station" @files="list => uploads.add(list)">
    <div class="bar">
      <h1>Intake</h1>
      <VBtn color="primary" :disabled="!order.order" @click="browsing = true">Bring in from a volume</VBtn>
      <VBtn :disabled="!order.order || order.sourceVolumes.length === 0" @click="files?.click()">Upload files</VBtn>
      <VBtn v-if="order.drives.length > 0" :disabled="!order.order" @click="atDrive = true">Disc drive</VBtn>
      <VBtn :disabled="!order.order" @click="inventory = true"
        >Inventory<template v-if="toCome > 0">, {{ toCome }} to come</template></VBtn
      >
      <input
        ref="files"
        type="file"
        multiple
        class="visually-hidden"
        tabindex="-1"
        aria-label="Files to upload"
        @change="pick"
      />
      <span class="muted">or drop files and folders anywhere here</span>
      <span class="spacer" />
      <span v-if="order.counts.reading > 0" class="muted" role="status"
        ><span class="number">{{ order.counts.reading }}</span> being read</span
      >
      <span v-if="order.counts.measuring > 0" class="muted"
        ><span class="number">{{ order.counts.measuring }}</span> to be measured</span
      >
      <span v-if="order.counts.refused > 0" class="muted"
        ><span class="number">{{ order.counts.refused }}</span> not usable</span
      >
    </div>
    <UploadList />
    <FolderList />
    <SplitPane v-if="!isEmpty" name="source" :initial="400">
      <template #first>
        <FilterBar />
        <EmptyState v-if="intake.failed" title="The list could not be loaded"
          >{{ intake.failed }}<br /><VBtn @click="intake.refresh()">Try again</VBtn></EmptyState
        >
        <EmptyState v-else-if="intake.loaded && intake.total === 0" title="No source fits these conditions"
          >Drop a condition, or look at all sources.</EmptyState
        >
        <LotTable
          v-else
          v-model:open="open"
          v-model:selected="selected"
          @rename="
            id => {
              renaming = id
            }
          "
          @move="moving = true"
        />
        <DraftBar v-model="selected" v-model:moving="moving" />
      </template>
      <template #second>
        <SourceDetail v-if="openSource" :key="openSource.id" :source="openSource" @removed="open = null" />
        <EmptyState v-else title="No source is open"
          >Choose a row to see what it is. The arrow keys go through the list, Space chooses, F2 names a lot, m moves
          what is chosen to another.</EmptyState
        >
      </template>
    </SplitPane>
    <EmptyState v-else title="Nothing has been brought in yet">
      Sources are files, or numbered pictures, in a source volume. They are only ever read.
      <br /><VBtn :disabled="!order.order" @click="browsing = true">Bring in from a volume</VBtn>
    </EmptyState>
    <VolumeBrowser v-if="browsing" @close="browsing = false" />
    <DriveDialog v-if="atDrive" @close="atDrive = false" />
    <InventoryDialog
      v-if="inventory"
      @close="inventory = false"
      @open="
        id => {
          open = id
          inventory = false
        }
      "
    />
    <LotDialog v-if="renaming !== null" :lot-id="renaming" @close="renaming = null" />
  </DropZone>
</template>
