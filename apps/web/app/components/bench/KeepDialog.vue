<script setup lang="ts">
import { describeChoice, type LotRecord, type Step, type TreatmentRecord } from '@hematine/core'
import { dequal } from 'dequal'
import { computed, ref, watch } from 'vue'
import AskDialog from '~/components/common/AskDialog.vue'
import { call } from '~/composables/useCall'
import { useNotices } from '~/stores/notices'
import { useOrder } from '~/stores/order'

/** Keeps steps in the library under a name and gives them to lots. What differs from the lots' present treatments is shown first. */
const open = defineModel<boolean>({ required: true })
const { steps, lots, lotId, proposal } = defineProps<{
  steps: readonly Step[]
  lots: readonly LotRecord[]
  lotId: number
  proposal: string
}>()
const emit = defineEmits<{ kept: [treatment: TreatmentRecord] }>()
const order = useOrder()
const notices = useNotices()
const name = ref('')
const chosen = ref<number[]>([])
const busy = ref(false)
watch(
  open,
  is => {
    if (!is) return
    name.value = proposal
    chosen.value = [lotId]
  },
  { immediate: true },
)

const treatmentOf = (lot: LotRecord) => order.treatments.find(entry => entry.id === lot.treatmentId) ?? null
const newest = computed(() => order.treatments.find(entry => entry.name === name.value.trim()) ?? null)
const isSame = computed(() => newest.value !== null && dequal(newest.value.steps, steps))
const version = computed(() => (newest.value ? newest.value.version + (isSame.value ? 0 : 1) : 1))

/** What a lot would gain and lose, in words. */
function differences(lot: LotRecord): string {
  const present = (treatmentOf(lot)?.steps ?? []).map(describeChoice)
  const next = steps.map(describeChoice)
  const parts = [
    ...next.filter(step => !present.includes(step)).map(step => `+ ${step}`),
    ...present.filter(step => !next.includes(step)).map(step => `− ${step}`),
  ]
  return parts.length === 0 ? 'nothing changes' : parts.join('; ')
}

async function keep(): Promise<void> {
  busy.value = true
  const treatment = await notices.attempt(() =>
    call('keepTreatment', { body: { name: name.value.trim(), steps: [...steps] } }),
  )
  const isGiven =
    treatment && chosen.value.length > 0
      ? await notices.attempt(async () => {
          await call('treatLots', { body: { lotIds: chosen.value, treatmentId: treatment.id } })
          return true
        })
      : false
  busy.value = false
  if (!treatment) return
  await order.loadTreatments()
  notices.done(
    `${treatment.name} v${treatment.version} is kept${isGiven ? ` and given to ${chosen.value.length} ${chosen.value.length === 1 ? 'lot' : 'lots'}` : ''}.`,
  )
  open.value = false
  emit('kept', treatment)
}
</script>

<template>
  <AskDialog v-model="open" title="Keep the treatment" :width="640">
    <label class="field"
      >Name <input v-model="name" maxlength="80" />{{ ' ' }}
      <span class="muted">{{ isSame ? `is v${version} already` : `becomes v${version}` }}</span></label
    >
    <div role="group" aria-label="Lots that get it" class="lots">
      <label v-for="lot in lots" :key="lot.id" class="lot">
        <input v-model="chosen" type="checkbox" :value="lot.id" :aria-label="`Give it to ${lot.name}`" />
        <span
          ><strong>{{ lot.name }}</strong
          >{{ ' ' }}
          <span class="muted"
            >{{ lot.reason }}; now
            {{ treatmentOf(lot) ? `${treatmentOf(lot)!.name} v${treatmentOf(lot)!.version}` : 'no treatment' }}</span
          ><span v-if="chosen.includes(lot.id)" class="change">{{ differences(lot) }}</span></span
        >
      </label>
    </div>
    <p class="muted lead">
      Jobs keep the version that they were drafted with. Draft a lot's jobs again to give them the new one.
    </p>
    <template #buttons>
      <VBtn variant="text" @click="open = false">Cancel</VBtn>
      <VBtn color="primary" :disabled="name.trim() === ''" :loading="busy" @click="keep">{{
        chosen.length === 0
          ? 'Keep in the library'
          : `Give it to ${chosen.length} ${chosen.length === 1 ? 'lot' : 'lots'}`
      }}</VBtn>
    </template>
  </AskDialog>
</template>

<style scoped>
.field {
  display: flex;
  gap: 8px;
  align-items: center;
}
.field input {
  flex: 1;
  border: 1px solid var(--muted);
  border-radius: 2px;
  padding: 2px 8px;
  font: inherit;
  color: inherit;
  background: rgb(var(--v-theme-background));
  min-height: 28px;
}
.lots {
  max-height: 300px;
  overflow: auto;
  border: 1px solid var(--line);
}
.lot {
  display: flex;
  gap: 8px;
  padding: 5px 10px;
  border-bottom: 1px solid var(--line);
  align-items: baseline;
}
.change {
  display: block;
}
.lead {
  margin: 0;
}
</style>
