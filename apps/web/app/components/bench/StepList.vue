<script setup lang="ts">
import { describeChoice, stepKinds, type Step, type StepGroup, type StepKind } from '@hematine/core'
import { mdiChevronDown, mdiChevronRight, mdiClose, mdiPlus } from '@mdi/js'
import { computed, ref } from 'vue'
import StepFields from '~/components/bench/StepFields.vue'
import { stepFor } from '~/composables/step-fields'

/** The steps of a treatment in their working order, each with its settings behind it. */
const steps = defineModel<Step[]>({ required: true })
const { picture, reasons } = defineProps<{
  picture: { width: number; height: number } | null
  /** Why steps are there, by the step as JSON. */
  reasons: ReadonlyMap<string, string>
}>()
const opened = ref<number | null>(null)
const menu = ref(false)

const groups = computed(() => {
  const byGroup = new Map<StepGroup, StepKind[]>()
  for (const [kind, { group }] of Object.entries(stepKinds) as [StepKind, (typeof stepKinds)[StepKind]][])
    byGroup.set(group, [...(byGroup.get(group) ?? []), kind])
  return [...byGroup]
})
const isTaken = (kind: StepKind) => !stepKinds[kind].several && steps.value.some(step => step.kind === kind)

function add(kind: StepKind): void {
  menu.value = false
  const added = stepFor(kind, picture)
  // At its place in the working order, so that the list never shows an order that is not done.
  const at = steps.value.findIndex(step => stepKinds[step.kind].rank > stepKinds[kind].rank)
  const place = at < 0 ? steps.value.length : at
  steps.value = [...steps.value.slice(0, place), added, ...steps.value.slice(place)]
  opened.value = place
}

function change(index: number, step: Step): void {
  steps.value = steps.value.map((entry, at) => (at === index ? step : entry))
}

function remove(index: number): void {
  steps.value = steps.value.filter((_, at) => at !== index)
  opened.value = null
}
</script>

<template>
  <div>
    <ol class="steps" aria-label="Steps">
      <li v-for="(step, index) in steps" :key="`${index}-${step.kind}`" :class="{ open: opened === index }">
        <div class="line">
          <button
            type="button"
            class="name"
            :aria-expanded="opened === index"
            @click="opened = opened === index ? null : index"
          >
            <VIcon :icon="opened === index ? mdiChevronDown : mdiChevronRight" size="16" aria-hidden="true" />
            <span class="number muted">{{ index + 1 }}</span>
            <span class="ellipsis">{{ describeChoice(step) }}</span>
          </button>
          <button type="button" class="drop" :aria-label="`Remove ${stepKinds[step.kind].name}`" @click="remove(index)">
            <VIcon :icon="mdiClose" size="15" aria-hidden="true" />
          </button>
        </div>
        <p v-if="reasons.get(JSON.stringify(step))" class="why muted">{{ reasons.get(JSON.stringify(step)) }}</p>
        <StepFields
          v-if="opened === index"
          :model-value="step"
          @update:model-value="changed => change(index, changed)"
        />
      </li>
    </ol>
    <p v-if="steps.length === 0" class="none muted">
      No steps yet: the source is only brought into the shape that the spec wants.
    </p>
    <VMenu v-model="menu" :close-on-content-click="false" location="bottom start">
      <template #activator="{ props: activator }"
        ><VBtn v-bind="activator" variant="text" :prepend-icon="mdiPlus" class="add">Add a step</VBtn></template
      >
      <VCard class="kinds scroll" role="group" aria-label="Steps to add">
        <div v-for="[group, kinds] in groups" :key="group">
          <h3>{{ group[0]!.toUpperCase() + group.slice(1) }}</h3>
          <button
            v-for="kind in kinds"
            :key="kind"
            type="button"
            class="kind"
            :disabled="isTaken(kind)"
            @click="add(kind)"
          >
            {{ stepKinds[kind].name }}
          </button>
        </div>
      </VCard>
    </VMenu>
  </div>
</template>

<style scoped>
.steps {
  list-style: none;
  margin: 0;
  padding: 0;
}
.steps li {
  border-bottom: 1px solid var(--line);
}
.steps li.open {
  background: rgb(var(--v-theme-surface));
}
.line {
  display: flex;
  align-items: center;
}
.name {
  flex: 1;
  min-width: 0;
  display: flex;
  align-items: center;
  gap: 6px;
  min-height: 30px;
  padding: 0 4px 0 8px;
  text-align: left;
}
.drop {
  width: 28px;
  min-height: 28px;
  color: var(--muted);
}
.drop:hover {
  color: rgb(var(--v-theme-on-surface));
}
.why {
  margin: -3px 10px 5px 46px;
  font-size: 12px;
  display: -webkit-box;
  -webkit-line-clamp: 2;
  -webkit-box-orient: vertical;
  overflow: hidden;
}
.none {
  margin: 10px 12px;
}
.add {
  margin: 4px;
}
.kinds {
  columns: 4 150px;
  column-gap: 16px;
  width: 700px;
  padding: 12px 14px 4px;
  max-height: 440px;
  border: 1px solid var(--line);
}
.kinds > div {
  break-inside: avoid;
  margin-bottom: 8px;
}
.kind {
  display: block;
  width: 100%;
  min-height: 24px;
  text-align: left;
  padding: 2px 4px;
}
.kind:hover:not(:disabled) {
  background: var(--raised);
}
.kind:disabled {
  color: var(--muted);
  opacity: 0.6;
}
h3 {
  color: var(--muted);
  font-weight: 400;
  margin-bottom: 2px;
}
</style>
