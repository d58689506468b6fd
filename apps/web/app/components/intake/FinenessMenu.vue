<script setup lang="ts">
import type { Fineness } from '@hematine/core'
import { mdiGroup } from '@mdi/js'
import { ref } from 'vue'
import { call } from '~/composables/useCall'
import { useIntake } from '~/stores/intake'
import { useNotices } from '~/stores/notices'
import { useOrder } from '~/stores/order'

/** How much must be alike in a lot of the open order. */
const order = useOrder()
const intake = useIntake()
const notices = useNotices()
const busy = ref(false)
const ways: { value: Fineness; title: string; subtitle: string }[] = [
  { value: 'coarse', title: 'Coarse lots', subtitle: 'frame, shape and scan' },
  { value: 'usual', title: 'Usual lots', subtitle: 'rate, codec and what surely calls for another treatment, too' },
  { value: 'fine', title: 'Fine lots', subtitle: 'whatever was found, also what is doubtful' },
]

async function choose(lotFineness: Fineness): Promise<void> {
  const { order: open } = order
  if (!open || open.lotFineness === lotFineness) return
  busy.value = true
  await notices.attempt(() =>
    order.asking.orders(call('changeOrder', { parameters: { id: open.id }, body: { lotFineness } }), changed => [
      changed,
    ]),
  )
  await intake.refresh()
  busy.value = false
}
</script>

<template>
  <VMenu location="bottom end">
    <template #activator="{ props: activator }"
      ><VBtn v-bind="activator" variant="text" :prepend-icon="mdiGroup" :loading="busy" :disabled="!order.order">{{
        ways.find(way => way.value === (order.order?.lotFineness ?? 'usual'))!.title
      }}</VBtn></template
    >
    <VList density="compact" role="radiogroup" aria-label="How fine lots are">
      <VListItem
        v-for="way in ways"
        :key="way.value"
        role="radio"
        :aria-checked="way.value === order.order?.lotFineness"
        :active="way.value === order.order?.lotFineness"
        :title="way.title"
        :subtitle="way.subtitle"
        @click="choose(way.value)"
      />
    </VList>
  </VMenu>
</template>
