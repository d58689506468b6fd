<script setup lang="ts">
import { computed, ref } from 'vue'
import AskDialog from '~/components/common/AskDialog.vue'
import JoinDialog from '~/components/intake/JoinDialog.vue'
import { useIntake } from '~/stores/intake'

/** What can be done with the chosen sources as a group: move them to a lot, join them, group them again, measure them more deeply. */
const selected = defineModel<Set<number>>({ required: true })
/** Whether the question for a lot is open; keys open it too. */
const moving = defineModel<boolean>('moving', { required: true })
const intake = useIntake()
const joining = ref(false)
const target = ref<number | null>(null)
const ids = computed(() => [...selected.value])
const targets = computed(() => [
  { title: 'a new lot', value: null },
  ...intake.lots.map(lot => ({ title: `${lot.name}: ${lot.reason}`, value: lot.id })),
])

async function move(): Promise<void> {
  moving.value = false
  await intake.move(ids.value, target.value)
}
</script>

<template>
  <VMenu location="top">
    <template #activator="{ props: activator }"
      ><VBtn v-bind="activator" :disabled="selected.size === 0">Lot, measure</VBtn></template
    >
    <VList density="compact">
      <VListItem title="Move to a lot ..." subtitle="m" @click="moving = true" />
      <VListItem
        title="Join to one source ..."
        subtitle="played one after the other"
        :disabled="selected.size < 2"
        @click="joining = true"
      />
      <VListItem title="Group by likeness again" @click="intake.groupAgain(ids)" />
      <VListItem title="Measure again" @click="intake.measure(ids, 'sampled')" />
      <VListItem title="Measure more deeply" subtitle="60 places instead of 10" @click="intake.measure(ids, 'deep')" />
      <VListItem
        title="Look through for cuts"
        subtitle="every picture is looked at once"
        @click="intake.measure(ids, 'through')"
      />
      <VListItem title="Stop measuring" subtitle="what was found before stays" @click="intake.stopMeasuring(ids)" />
      <VListItem title="Choose none" @click="selected = new Set()" />
    </VList>
  </VMenu>
  <JoinDialog v-model="joining" :ids="ids" @joined="selected = new Set()" />
  <AskDialog
    v-model="moving"
    :title="`Move ${selected.size} ${selected.size === 1 ? 'source' : 'sources'}`"
    :width="560"
  >
    <VSelect v-model="target" :items="targets" label="Into" autofocus />
    <div class="muted">
      They stay in that lot whatever is found of them later, until they are grouped by likeness again.
    </div>
    <template #buttons>
      <VBtn variant="text" @click="moving = false">Cancel</VBtn>
      <VBtn color="primary" :disabled="selected.size === 0" @click="move"
        >Move {{ selected.size }} {{ selected.size === 1 ? 'source' : 'sources' }}</VBtn
      >
    </template>
  </AskDialog>
</template>
