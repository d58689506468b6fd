<script setup lang="ts">
import type { VolumeRole } from '@hematine/core'
import { mdiFolderOutline, mdiSubdirectoryArrowLeft } from '@mdi/js'
import { ref, watch } from 'vue'
import AskDialog from '~/components/common/AskDialog.vue'
import { useClosing } from '~/composables/useClosing'
import { call } from '~/composables/useCall'
import { useNotices } from '~/stores/notices'
import { useOrder } from '~/stores/order'

const emit = defineEmits<{ close: [] }>()
const order = useOrder()
const notices = useNotices()
const open = useClosing(() => emit('close'))
const roles: { title: string; value: VolumeRole }[] = [
  { title: 'source: read only', value: 'source' },
  { title: 'delivery: results are written here', value: 'delivery' },
  { title: 'working: room for working files', value: 'working' },
]
const role = ref<VolumeRole>('source')
const name = ref('')
const path = ref<string | null>(null)
const parent = ref<string | null>(null)
const directories = ref<{ name: string; path: string }[]>([])

watch(
  path,
  async wanted => {
    const answer = await notices.attempt(() => call('listRoots', { query: wanted === null ? {} : { path: wanted } }))
    if (!answer) return
    parent.value = answer.parent
    directories.value = answer.directories
  },
  { immediate: true },
)

async function register(): Promise<void> {
  const made = await notices.attempt(() =>
    call('registerVolume', { body: { name: name.value.trim(), role: role.value, path: path.value! } }),
  )
  if (!made) return
  await order.loadVolumes()
  emit('close')
}
</script>

<template>
  <AskDialog v-model="open" title="Register a volume" :width="620">
    <VTextField v-model="name" label="Name" maxlength="80" autofocus />
    <VSelect v-model="role" :items="roles" label="Role" />
    <div>
      <span class="muted">Directory</span> <span class="number">{{ path ?? 'choose one' }}</span>
    </div>
    <div class="entries scroll" role="group" aria-label="Directories">
      <button v-if="path !== null" type="button" class="entry" @click="path = parent">
        <VIcon :icon="mdiSubdirectoryArrowLeft" size="16" aria-hidden="true" /> one directory up
      </button>
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
      <div v-if="directories.length === 0" class="entry muted">No directories here.</div>
    </div>
    <template #buttons>
      <VBtn variant="text" @click="emit('close')">Cancel</VBtn>
      <VBtn color="primary" :disabled="path === null || name.trim() === ''" @click="register"
        >Register this directory</VBtn
      >
    </template>
  </AskDialog>
</template>

<style scoped>
.entries {
  height: 240px;
}
</style>
