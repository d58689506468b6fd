<script setup lang="ts">
import { describeChoice, describeSpec, describeSpecLines } from '@hematine/core'
import { computed } from 'vue'
import EmptyState from '~/components/common/EmptyState.vue'
import SplitPane from '~/components/common/SplitPane.vue'
import { useOrder } from '~/stores/order'

useHead({ title: 'Library - Hematine' })
const order = useOrder()
const route = useRoute()
const router = useRouter()
const shelf = computed(() => (route.query.shelf === 'treatments' ? 'treatments' : 'specs'))
const openTreatment = computed(
  () => order.treatments.find(entry => entry.id === Number(route.query.treatment)) ?? order.treatments[0] ?? null,
)
const open = computed(() => order.specs.find(spec => spec.key === route.query.spec) ?? order.specs[0]!)
</script>

<template>
  <div class="station">
    <div class="bar">
      <h1>Library</h1>
      <div class="shelf" role="group" aria-label="Shelf">
        <VBtn
          variant="text"
          :aria-pressed="shelf === 'specs'"
          :class="{ chosen: shelf === 'specs' }"
          @click="router.replace({ query: {} })"
          >Delivery specs</VBtn
        >
        <VBtn
          variant="text"
          :aria-pressed="shelf === 'treatments'"
          :class="{ chosen: shelf === 'treatments' }"
          @click="router.replace({ query: { shelf: 'treatments' } })"
          >Treatments</VBtn
        >
      </div>
      <span class="muted">{{
        shelf === 'specs'
          ? 'Delivery specs that ship with Hematine'
          : 'Every version stays as it was, because jobs ran with it'
      }}</span>
    </div>
    <template v-if="shelf === 'treatments'">
      <SplitPane v-if="openTreatment" name="treatment" :initial="480">
        <template #first>
          <table class="rows">
            <thead>
              <tr>
                <th>Treatment</th>
                <th>Steps</th>
                <th>Lots</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="entry in order.treatments" :key="entry.id" :class="{ open: entry.id === openTreatment.id }">
                <td>
                  <button
                    type="button"
                    :aria-pressed="entry.id === openTreatment.id"
                    @click="router.replace({ query: { shelf: 'treatments', treatment: entry.id } })"
                  >
                    {{ entry.name }} v{{ entry.version }}
                  </button>
                </td>
                <td class="ellipsis steps">{{ entry.steps.map(describeChoice).join('; ') }}</td>
                <td class="number">{{ entry.lotCount || '' }}</td>
              </tr>
            </tbody>
          </table>
        </template>
        <template #second>
          <div class="panel">
            <h2>{{ openTreatment.name }} v{{ openTreatment.version }}</h2>
            <ol class="list">
              <li v-for="(step, index) in openTreatment.steps" :key="index">{{ describeChoice(step) }}</li>
            </ol>
            <p class="muted">Treatments are made, tried and given to lots on the Bench.</p>
            <VBtn to="/bench">Go to Bench</VBtn>
          </div>
        </template>
      </SplitPane>
      <EmptyState v-else title="No treatments yet"
        >Choose steps on the Bench, try them, and keep them here for other lots.<br /><VBtn to="/bench"
          >Go to Bench</VBtn
        ></EmptyState
      >
    </template>
    <SplitPane v-else name="spec" :initial="480">
      <template #first>
        <table class="rows">
          <thead>
            <tr>
              <th>Spec</th>
              <th>Makes</th>
              <th>Used by</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="spec in order.specs" :key="spec.key" :class="{ open: spec.key === open.key }">
              <td>
                <button
                  type="button"
                  :aria-pressed="spec.key === open.key"
                  @click="router.replace({ query: { spec: spec.key } })"
                >
                  {{ spec.name }}
                </button>
              </td>
              <td>{{ describeSpec(spec) }}</td>
              <td class="number">
                {{ order.work?.specs[spec.key] ?? '' }}
              </td>
            </tr>
          </tbody>
        </table>
      </template>
      <template #second>
        <div class="panel">
          <h2>{{ open.name }}</h2>
          <p class="muted purpose">{{ open.purpose }}</p>
          <table class="facts">
            <tbody>
              <tr v-for="[name, value] in describeSpecLines(open)" :key="name">
                <th scope="row">{{ name }}</th>
                <td>{{ value }}</td>
              </tr>
            </tbody>
          </table>
        </div>
      </template>
    </SplitPane>
  </div>
</template>

<style scoped>
.rows {
  width: 100%;
  border-collapse: collapse;
}
.rows th {
  text-align: left;
  font-weight: 400;
  color: var(--muted);
  height: 28px;
  padding: 0 12px;
  background: rgb(var(--v-theme-surface));
  box-shadow: inset 0 -1px 0 var(--line);
}
.rows td {
  height: 30px;
  padding: 0 12px;
  border-bottom: 1px solid var(--line);
}
tr.open td {
  background: var(--raised);
}
tr.open td:first-child {
  box-shadow: inset 3px 0 0 var(--accent);
}
button {
  width: 100%;
  text-align: left;
  min-height: 30px;
}
.purpose {
  margin: 0 0 8px;
}
.shelf {
  display: flex;
  flex: none;
}
.shelf > button {
  width: auto;
}
.chosen {
  box-shadow: inset 0 -2px 0 var(--accent);
}
.steps {
  max-width: 420px;
}
.list {
  margin: 0 0 8px;
  padding-left: 20px;
}
</style>
