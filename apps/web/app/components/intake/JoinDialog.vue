<script setup lang="ts">
import { describeClock, type SourceRecord } from '@hematine/core'
import { mdiArrowDown, mdiArrowUp } from '@mdi/js'
import { ref, watch } from 'vue'
import AskDialog from '~/components/common/AskDialog.vue'
import { call } from '~/composables/useCall'
import { useNotices } from '~/stores/notices'

/** Puts chosen sources into the order in which they are played, and makes one source of them. */
const open = defineModel<boolean>({ required: true })
const { ids } = defineProps<{ ids: readonly number[] }>()
const emit = defineEmits<{ joined: [source: SourceRecord] }>()
const notices = useNotices()
const parts = ref<SourceRecord[]>([])
const busy = ref(false)

watch(open, async is => {
  if (!is) return
  parts.value = []
  const read = await notices.attempt(() => Promise.all(ids.map(id => call('readSource', { parameters: { id } }))))
  // Parts of one recording are numbered in their names more often than not.
  parts.value = (read ?? []).sort((a, b) => a.relativePath.localeCompare(b.relativePath, undefined, { numeric: true }))
})

function move(index: number, by: 1 | -1): void {
  const list = [...parts.value]
  const [part] = list.splice(index, 1)
  list.splice(index + by, 0, part!)
  parts.value = list
}

async function join(): Promise<void> {
  busy.value = true
  const source = await notices.attempt(() =>
    call('joinSources', { body: { sourceIds: parts.value.map(part => part.id) } }),
  )
  busy.value = false
  if (!source) return
  open.value = false
  notices.done(`${source.name} is in the order. Its parts stay there, too.`)
  emit('joined', source)
}
</script>

<template>
  <AskDialog v-model="open" :title="`Join ${ids.length} sources to one`" :width="560">
    <div class="muted">
      They are played in this order as one source. Nothing is written: its parts are read where they lie.
    </div>
    <ol class="parts" aria-label="Parts in order">
      <li v-for="(part, index) in parts" :key="part.id">
        <span class="number muted">{{ index + 1 }}</span>
        <span class="ellipsis name">{{ part.name }}</span>
        <span class="number muted">{{
          part.facts?.durationSeconds ? describeClock(part.facts.durationSeconds) : ''
        }}</span>
        <VBtn
          :icon="mdiArrowUp"
          size="26"
          variant="text"
          :aria-label="`${part.name} earlier`"
          :disabled="index === 0"
          @click="move(index, -1)"
        />
        <VBtn
          :icon="mdiArrowDown"
          size="26"
          variant="text"
          :aria-label="`${part.name} later`"
          :disabled="index === parts.length - 1"
          @click="move(index, 1)"
        />
      </li>
    </ol>
    <template #buttons>
      <VBtn variant="text" @click="open = false">Cancel</VBtn>
      <VBtn color="primary" :disabled="parts.length < 2" :loading="busy" @click="join"
        >Join {{ parts.length }} sources</VBtn
      >
    </template>
  </AskDialog>
</template>

<style scoped>
.parts {
  list-style: none;
  margin: 0;
  padding: 0;
  border: 1px solid var(--line);
  max-height: 340px;
  overflow: auto;
}
.parts li {
  display: flex;
  align-items: center;
  gap: 8px;
  min-height: 30px;
  padding: 0 8px;
  border-bottom: 1px solid var(--line);
}
.parts li:last-child {
  border-bottom: 0;
}
.name {
  flex: 1;
  min-width: 0;
}
</style>
