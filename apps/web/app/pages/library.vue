<script setup lang="ts">
import { describeChoice, describeSpec, describeSpecLines, SpecFile, specTitle, type SpecDraft } from '@hematine/core'
import { computed, ref } from 'vue'
import EmptyState from '~/components/common/EmptyState.vue'
import SplitPane from '~/components/common/SplitPane.vue'
import SpecEditor from '~/components/library/SpecEditor.vue'
import { call } from '~/composables/useCall'
import { useNotices } from '~/stores/notices'
import { useOrder } from '~/stores/order'

useHead({ title: 'Library - Hematine' })
const order = useOrder()
const route = useRoute()
const router = useRouter()
const shelf = computed(() => (route.query.shelf === 'treatments' ? 'treatments' : 'specs'))
const openTreatment = computed(
  () => order.treatments.find(entry => entry.id === Number(route.query.treatment)) ?? order.treatments[0] ?? null,
)
const openRecord = computed(
  () => order.specRecords.find(record => record.spec.key === route.query.spec) ?? order.specRecords[0] ?? null,
)
const notices = useNotices()
const picker = ref<HTMLInputElement>()
/** What the editor begins with; a copy gets a key of its own. */
const editing = ref<{ isCopy: boolean } | null>(null)
const busy = ref(false)
const start = computed(() => {
  const { spec } = openRecord.value!
  return editing.value?.isCopy ? { ...spec, name: freeName(`${spec.name}, own`) } : spec
})

/** A name that no spec has: "Small MP4, own", then "Small MP4, own 2". */
function freeName(name: string): string {
  const taken = new Set(order.specs.map(spec => spec.name.toLowerCase()))
  for (let count = 1; ; count++) {
    const free = count === 1 ? name : `${name} ${count}`
    if (!taken.has(free.toLowerCase())) return free.slice(0, 60)
  }
}

async function keep(draft: SpecDraft): Promise<void> {
  busy.value = true
  const isNew = editing.value?.isCopy !== false
  const kept = await notices.attempt(() =>
    isNew
      ? call('createSpec', { body: draft })
      : call('changeSpec', { parameters: { key: openRecord.value!.spec.key }, body: draft }),
  )
  busy.value = false
  if (!kept) return
  editing.value = null
  await order.loadSpecs()
  await router.replace({ query: { spec: kept.spec.key } })
}

function save(): void {
  const { key: _key, version: _version, ...spec } = openRecord.value!.spec
  const file: SpecFile = { kind: 'hematine delivery spec', format: 1, spec }
  const address = URL.createObjectURL(new Blob([JSON.stringify(file, null, 2)], { type: 'application/json' }))
  Object.assign(document.createElement('a'), { href: address, download: `${spec.name}.spec.json` }).click()
  URL.revokeObjectURL(address)
}

async function bringIn(event: Event): Promise<void> {
  const input = event.target as HTMLInputElement
  const file = input.files?.[0]
  input.value = ''
  if (!file) return
  const content = await file
    .text()
    .then(
      text => JSON.parse(text) as unknown,
      () => null,
    )
    .catch(() => null)
  const read = SpecFile.safeParse(content)
  if (!read.success) {
    notices.problem(
      `${file.name} holds no delivery spec that can be read: ${read.error.issues[0]?.path.join(', ') || 'it'} is not as it should be. Choose a file that was saved under Library.`,
    )
    return
  }
  const kept = await notices.attempt(() =>
    call('createSpec', { body: { ...read.data.spec, name: freeName(read.data.spec.name) } }),
  )
  if (!kept) return
  await order.loadSpecs()
  await router.replace({ query: { spec: kept.spec.key } })
}
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
          ? 'Every version stays as it was, because jobs ran with it; what ships with Hematine can be copied'
          : 'Every version stays as it was, because jobs ran with it'
      }}</span>
      <span class="spacer" />
      <template v-if="shelf === 'specs'">
        <VBtn @click="picker?.click()">Bring in a spec</VBtn>
        <input
          ref="picker"
          type="file"
          accept=".json,application/json"
          class="visually-hidden"
          aria-label="Spec file"
          tabindex="-1"
          @change="bringIn"
        />
      </template>
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
    <SplitPane v-else-if="openRecord" name="spec" :initial="480">
      <template #first>
        <table class="rows">
          <thead>
            <tr>
              <th>Spec</th>
              <th>Makes</th>
              <th>From</th>
              <th>Used by</th>
            </tr>
          </thead>
          <tbody>
            <tr
              v-for="{ spec, isShipped } in order.specRecords"
              :key="spec.key"
              :class="{ open: spec.key === openRecord.spec.key }"
            >
              <td>
                <button
                  type="button"
                  :aria-pressed="spec.key === openRecord.spec.key"
                  @click="router.replace({ query: { spec: spec.key } })"
                >
                  {{ specTitle(spec) }}
                </button>
              </td>
              <td>{{ describeSpec(spec) }}</td>
              <td class="muted">{{ isShipped ? 'Hematine' : 'here' }}</td>
              <td class="number">{{ order.work?.specs[spec.key] ?? '' }}</td>
            </tr>
          </tbody>
        </table>
      </template>
      <template #second>
        <div class="panel">
          <h2>{{ specTitle(openRecord.spec) }}</h2>
          <p class="muted purpose">{{ openRecord.spec.purpose }}</p>
          <p class="buttons">
            <VBtn
              @click="
                () => {
                  editing = { isCopy: true }
                }
              "
              >Copy</VBtn
            >
            <VBtn
              v-if="!openRecord.isShipped"
              @click="
                () => {
                  editing = { isCopy: false }
                }
              "
              >Change</VBtn
            >
            <VBtn variant="text" @click="save">Save as a file</VBtn>
          </p>
          <table class="facts">
            <tbody>
              <tr v-for="[name, value] in describeSpecLines(openRecord.spec)" :key="name">
                <th scope="row">{{ name }}</th>
                <td>{{ value }}</td>
              </tr>
            </tbody>
          </table>
        </div>
      </template>
    </SplitPane>
    <SpecEditor
      v-if="editing && openRecord"
      :from="start"
      :title="editing.isCopy ? `Copy of ${specTitle(openRecord.spec)}` : `Next version of ${openRecord.spec.name}`"
      :busy="busy"
      @close="
        () => {
          editing = null
        }
      "
      @keep="keep"
    />
  </div>
</template>

<style scoped>
table.rows th {
  height: 28px;
  padding: 0 12px;
  background: rgb(var(--v-theme-surface));
  box-shadow: inset 0 -1px 0 var(--line);
}
table.rows td {
  padding: 0 12px;
  border-top: 0;
  border-bottom: 1px solid var(--line);
  white-space: normal;
}
tr.open td:first-child {
  box-shadow: inset 3px 0 0 var(--accent);
}
td button {
  width: 100%;
  text-align: left;
  min-height: 30px;
}
.purpose {
  margin: 0 0 8px;
}
.buttons {
  display: flex;
  gap: 8px;
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
