<script setup lang="ts">
import { describeRanges, parseSectorRanges } from '@hematine/core'
import { computed, ref, watch } from 'vue'
import AskDialog from '~/components/common/AskDialog.vue'
import StateMark from '~/components/common/StateMark.vue'
import { useClosing } from '~/composables/useClosing'
import { call } from '~/composables/useCall'
import { useNotices } from '~/stores/notices'
import { useOrder } from '~/stores/order'

const emit = defineEmits<{ close: [] }>()
const order = useOrder()
const notices = useNotices()
const open = useClosing(() => emit('close'))
const driveId = ref(order.drives[0]?.id ?? null)
const drive = computed(() => order.drives.find(entry => entry.id === driveId.value) ?? null)
const volumeId = ref(order.sourceVolumes[0]?.id ?? null)
const bad = ref('')
const badProblem = computed(() => {
  const ranges = parseSectorRanges(bad.value)
  return typeof ranges === 'string' ? ranges : null
})
const reading = computed(() =>
  order.copies.some(copy => copy.state === 'reading' && copy.driveName === drive.value?.name),
)
// Only what changes there is taken over, so that nothing that is being typed is lost.
watch(
  () => describeRanges(drive.value?.badSectors ?? []),
  text => {
    bad.value = text
  },
  { immediate: true },
)

/** Single speed of a DVD in megabytes a second. */
const singleSpeed = 1.385
const speeds = [1, 2, 4, 8, 16].map(value => ({ value, title: `${value}x, ${(value * singleSpeed).toFixed(1)} MB/s` }))
const discs = computed(() => [
  { value: null, title: 'empty' },
  ...(drive.value?.shelf ?? []).map(name => ({ value: name as string | null, title: name })),
])

async function change(body: { disc?: string | null; speed?: number; badSectors?: string }): Promise<void> {
  await notices.attempt(() => call('changeDrive', { parameters: { id: drive.value!.id }, body }))
  await order.loadDrives()
}

async function readIn(): Promise<void> {
  const begun = await notices.attempt(() =>
    order.asking.copies(
      call('beginCopy', { body: { orderId: order.order!.id, driveId: drive.value!.id, volumeId: volumeId.value! } }),
      copy => [copy],
    ),
  )
  if (!begun) return
  emit('close')
}
</script>

<template>
  <AskDialog v-model="open" title="Read in a disc" :width="560">
    <p class="note">
      <StateMark state="look" /> This drive is a stand-in that ships with Hematine: its discs are images on a shelf, its
      pace and its faults are the ones set here.
    </p>
    <template v-if="drive">
      <div class="row">
        <VSelect
          :model-value="drive.disc"
          :items="discs"
          :label="`Disc in ${drive.name}`"
          :disabled="reading"
          @update:model-value="disc => change({ disc })"
        />
        <VBtn :disabled="!drive.disc || reading" @click="change({ disc: null })">Eject</VBtn>
      </div>
      <div class="row">
        <VSelect
          :model-value="drive.speed"
          :items="speeds"
          label="Reads at"
          class="speed"
          @update:model-value="speed => change({ speed })"
        />
        <VTextField
          v-model="bad"
          label="Fails at sectors"
          placeholder="none, or like 1200-1215, 3000"
          persistent-placeholder
          :error-messages="badProblem ?? ''"
          @change="badProblem === null && change({ badSectors: bad })"
        />
      </div>
      <VSelect
        v-model="volumeId"
        :items="order.sourceVolumes"
        item-value="id"
        item-title="name"
        label="Image goes into"
        no-data-text="No source volume is registered; see Equipment"
      />
      <p class="muted">
        Sectors that cannot be read are tried one by one, filled with noughts and noted: they show among the findings of
        the titles they belong to.
      </p>
    </template>
    <template #buttons>
      <VBtn variant="text" @click="emit('close')">Close</VBtn>
      <VBtn
        color="primary"
        :disabled="!drive?.disc || reading || volumeId === null || !order.order || badProblem !== null"
        @click="readIn"
        >{{ reading ? 'Being read' : 'Read the disc in' }}</VBtn
      >
    </template>
  </AskDialog>
</template>

<style scoped>
.row {
  display: flex;
  gap: 8px;
  align-items: flex-start;
}
.speed {
  max-width: 150px;
}
.note {
  margin: 0;
  display: flex;
  gap: 8px;
}
</style>
