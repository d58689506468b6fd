<script setup lang="ts">
import { computed, ref } from 'vue'
import EmptyState from '~/components/common/EmptyState.vue'
import SplitPane from '~/components/common/SplitPane.vue'
import DraftBar from '~/components/intake/DraftBar.vue'
import DropZone from '~/components/intake/DropZone.vue'
import SourceDetail from '~/components/intake/SourceDetail.vue'
import SourceTable from '~/components/intake/SourceTable.vue'
import UploadList from '~/components/intake/UploadList.vue'
import VolumeBrowser from '~/components/intake/VolumeBrowser.vue'
import { useOrder } from '~/stores/order'
import { useUploads } from '~/stores/uploads'

useHead({ title: 'Intake - Hematine' })
const order = useOrder()
const uploads = useUploads()
const route = useRoute()
const router = useRouter()
const browsing = ref(false)
const files = ref<HTMLInputElement>()
const selected = ref<number[]>([])

/** The open source is in the address, so that a view can be shared and reloaded. */
const open = computed<number | null>({
  get: () => Number(route.query.source) || null,
  set: id => { void router.replace({ query: id === null ? {} : { source: id } }) },
})
const openSource = computed(() => open.value === null ? null : order.sources.get(open.value) ?? null)

function pick(event: Event): void {
  const input = event.target as HTMLInputElement
  uploads.add([...input.files ?? []])
  input.value = ''
}
</script>

<template>
  <DropZone class="station" @files="list => uploads.add(list)">
    <div class="bar">
      <h1>Intake</h1>
      <VBtn color="primary" :disabled="!order.order" @click="browsing = true">Bring in from a volume</VBtn>
      <VBtn :disabled="!order.order || order.sourceVolumes.length === 0" @click="files?.click()">Upload files</VBtn>
      <input ref="files" type="file" multiple class="visually-hidden" tabindex="-1" aria-label="Files to upload" @change="pick">
      <span class="muted">or drop files anywhere here</span>
      <span class="spacer" />
      <span class="muted"><span class="number">{{ order.sourceList.length }}</span> sources</span>
    </div>
    <UploadList />
    <SplitPane v-if="order.sourceList.length > 0" name="source" :initial="390">
      <template #first>
        <SourceTable v-model:open="open" v-model:selected="selected" :sources="order.sourceList" />
        <DraftBar v-model="selected" />
      </template>
      <template #second>
        <SourceDetail v-if="openSource" :key="openSource.id" :source="openSource" @removed="open = null" />
        <EmptyState v-else title="No source is open">Choose a row to see what it is. The arrow keys go through the list.</EmptyState>
      </template>
    </SplitPane>
    <EmptyState v-else title="Nothing has been brought in yet">
      Sources are files, or numbered pictures, in a source volume. They are only ever read.
      <br><VBtn :disabled="!order.order" @click="browsing = true">Bring in from a volume</VBtn>
    </EmptyState>
    <VolumeBrowser v-if="browsing" @close="browsing = false" />
  </DropZone>
</template>
