<script setup lang="ts">
import { describeTimes, mostLateWeight, type OrderRecord } from '@hematine/core'
import { computed, ref } from 'vue'
import AskDialog from '~/components/common/AskDialog.vue'
import { useClosing } from '~/composables/useClosing'
import { instantOf, localMoment } from '~/composables/times'
import { call } from '~/composables/useCall'
import { useNotices } from '~/stores/notices'
import { useOrder } from '~/stores/order'

const { existing } = defineProps<{ existing: OrderRecord | null }>()
const emit = defineEmits<{ close: [] }>()
const order = useOrder()
const notices = useNotices()

const open = useClosing(() => emit('close'))
const code = ref(existing?.code ?? '')
const name = ref(existing?.name ?? '')
const localDue = ref(localMoment(existing?.dueAt ?? null))
const lateWeight = ref(existing?.lateWeight ?? 1)
const weights = Array.from({ length: mostLateWeight }, (_, index) => ({
  value: index + 1,
  title: describeTimes(index + 1),
}))
const ready = computed(() => code.value.trim() !== '' && name.value.trim() !== '')

async function save(): Promise<void> {
  const body = {
    code: code.value.trim(),
    name: name.value.trim(),
    dueAt: instantOf(localDue.value),
    lateWeight: lateWeight.value,
  }
  const saved = await notices.attempt(() =>
    order.asking.orders(
      existing ? call('changeOrder', { parameters: { id: existing.id }, body }) : call('createOrder', { body }),
      answer => [answer],
    ),
  )
  if (!saved) return
  if (!existing) await order.choose(saved.id)
  emit('close')
}
</script>

<template>
  <AskDialog v-model="open" :title="existing ? 'Change order' : 'New order'">
    <VTextField v-model="code" label="Code" maxlength="40" autofocus />
    <VTextField v-model="name" label="Name" maxlength="120" />
    <VTextField v-model="localDue" label="Due (may stay open)" type="datetime-local" />
    <VSelect
      v-model="lateWeight"
      label="Its lateness counts"
      :items="weights"
      hint="An hour late of an order that counts twice is as bad as two of one that counts once. Orders by due times, and what would help, go by it."
      persistent-hint
    />
    <template #buttons>
      <VBtn variant="text" @click="emit('close')">Cancel</VBtn>
      <VBtn color="primary" :disabled="!ready" @click="save">{{ existing ? 'Save order' : 'Make order' }}</VBtn>
    </template>
  </AskDialog>
</template>
