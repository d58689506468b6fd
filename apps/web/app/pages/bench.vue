<script setup lang="ts">
import {
  AssetKind,
  assetsOf,
  describeChoice,
  describeClock,
  describeTreatmentResult,
  stepKinds,
  Steps,
  type LotRecord,
  type Moment,
  type SourceRecord,
  type SourceRow,
  type Step,
  type TreatmentRecord,
  type TrialRecord,
} from '@hematine/core'
import { useLocalStorage, watchDebounced } from '@vueuse/core'
import { dequal } from 'dequal'
import { computed, ref, watch } from 'vue'
import { z } from 'zod'
import KeepDialog from '~/components/bench/KeepDialog.vue'
import MomentBar from '~/components/bench/MomentBar.vue'
import StepList from '~/components/bench/StepList.vue'
import TrialSheet from '~/components/bench/TrialSheet.vue'
import TrialViewer from '~/components/bench/TrialViewer.vue'
import VaryDialog from '~/components/bench/VaryDialog.vue'
import EmptyState from '~/components/common/EmptyState.vue'
import { askingOrder } from '~/composables/askingOrder'
import { addressOf, call, CallProblem, type CallAnswer } from '~/composables/useCall'
import { useAssets } from '~/stores/assets'
import { useNotices } from '~/stores/notices'
import { useOrder } from '~/stores/order'

useHead({ title: 'Bench - Hematine' })
const order = useOrder()
const assets = useAssets()
const notices = useNotices()
const route = useRoute()
const router = useRouter()

const lots = ref<LotRecord[]>([])
const members = ref<SourceRow[]>([])
const source = ref<SourceRecord | null>(null)
const isReading = ref(true)
const steps = ref<Step[]>([])
const reasons = ref(new Map<string, string>())
/** Steps that measurements propose. */
const proposed = ref<Step[]>([])
const application = ref<CallAnswer<'applySteps'> | null>(null)
const moments = ref<Moment[]>([])
const momentsByHand = ref(false)
const momentAt = ref(0)
const shown = ref<number[]>([])
const chosenSpec = useLocalStorage('hematine-bench-spec', 'playback-box')
const chosenSoundSpec = useLocalStorage('hematine-bench-sound-spec', 'sound-flac')
const varying = ref(false)
const keeping = ref<Step[] | null>(null)
const busy = ref(false)

/** Lots with a moving picture or sound: stills are not treated here. */
const choices = computed(() => lots.value.filter(lot => !/^still/.test(lot.reason)))
/** A source without a picture can only become sound; what is chosen for it leaves the choice for pictures alone. */
const isSound = computed(() => Boolean(source.value?.facts && !source.value.facts.video))
const specs = computed(() => (isSound.value ? order.specs.filter(spec => spec.video === null) : order.specs))
const specKey = computed({
  get: () => (isSound.value ? chosenSoundSpec.value : chosenSpec.value),
  set: key => {
    ;(isSound.value ? chosenSoundSpec : chosenSpec).value = key
  },
})
/** Where the source that is looked at went when it was measured: from the lot of the address, which may be gone, into another one. */
const followed = ref<{ from: number; to: number } | null>(null)
const lot = computed(() => {
  const asked = Number(route.query.lot)
  const id = followed.value && Object.is(followed.value.from, asked) ? followed.value.to : asked
  return choices.value.find(entry => entry.id === id) ?? choices.value[0] ?? null
})
const treatment = computed(() => order.treatments.find(entry => entry.id === lot.value?.treatmentId) ?? null)
const isChanged = computed(() => JSON.stringify(steps.value) !== JSON.stringify(treatment.value?.steps ?? []))

watch(
  () => lot.value?.id,
  async id => {
    if (!id || !order.order) return
    isReading.value = true
    const answer = await notices.attempt(() =>
      call('listSources', { query: { orderId: order.order!.id, lotId: id, limit: 200 } }),
    )
    if (lot.value?.id !== id) return
    members.value = answer?.rows.filter(row => row.state === 'ready') ?? []
    isReading.value = false
  },
  { immediate: true },
)

const standing = computed(
  () => members.value.find(row => row.id === Number(route.query.source)) ?? members.value[0] ?? null,
)

const readingLots = askingOrder()
/** Reads the lots. A source that is looked at may have been put into another one when it was measured: then it is followed there. */
async function readLots(): Promise<void> {
  if (!order.order) return
  const id = standing.value?.id
  const counts = readingLots.ask()
  const [present, record] = await Promise.all([
    notices.attempt(() => call('listLots', { query: { orderId: order.order!.id } })),
    id ? call('readSource', { parameters: { id } }).catch(() => null) : null,
  ])
  if (!present || !counts()) return
  const to = record?.lotId ?? null
  const isElsewhere = to !== null && to !== lot.value?.id && present.some(entry => entry.id === to)
  const goesAlong = isElsewhere && standing.value?.id === id
  if (goesAlong) followed.value = { from: Number(route.query.lot), to }
  lots.value = present
  if (choices.value.length === 0) isReading.value = false
  if (goesAlong) await router.replace({ query: { lot: to, source: id } })
}
watch(() => [order.order?.id, order.sourceChange.count], readLots, { immediate: true })

watch(
  () => standing.value?.id,
  async id => {
    source.value = null
    application.value = null
    shown.value = []
    momentAt.value = 0
    if (!id) return
    const [record, answer, suggested] = await Promise.all([
      notices.attempt(() => call('readSource', { parameters: { id } })),
      notices.attempt(() => call('readMoments', { parameters: { id } })),
      notices.attempt(() => call('suggestSteps', { parameters: { id } })),
    ])
    if (standing.value?.id !== id) return
    source.value = record ?? null
    moments.value = answer?.moments ?? []
    momentsByHand.value = answer?.byHand ?? false
    takeReasons(suggested ?? [])
    steps.value = treatment.value?.steps ?? [...proposed.value]
  },
  { immediate: true },
)

function takeReasons(suggested: CallAnswer<'suggestSteps'>): void {
  proposed.value = suggested.map(entry => entry.step)
  reasons.value = new Map(suggested.map(entry => [JSON.stringify(entry.step), entry.because]))
}

/** A measurement that ends while the source is looked at gives it better moments, and proposes other steps where nobody has touched those that were proposed. */
watch(
  () => order.sourceChange,
  async ({ ids }) => {
    const id = source.value?.id
    if (!id || !ids.has(id)) return
    const [answer, suggested] = await Promise.all([
      call('readMoments', { parameters: { id } }).catch(() => null),
      call('suggestSteps', { parameters: { id } }).catch(() => null),
    ])
    if (source.value?.id !== id) return
    if (answer && !momentsByHand.value && current.value.length === 0) moments.value = answer.moments
    if (!suggested) return
    const isUntouched = !treatment.value && dequal(steps.value, proposed.value)
    takeReasons(suggested)
    if (isUntouched && !dequal(steps.value, proposed.value)) steps.value = [...proposed.value]
  },
)

const applying = askingOrder()
/** What the steps would make, asked for when they have not changed for a moment. */
watchDebounced(
  [steps, specKey, () => source.value?.id],
  async () => {
    const id = source.value?.id
    if (!id) return
    const counts = applying.ask()
    try {
      const answer = await call('applySteps', {
        parameters: { id },
        body: { specKey: specKey.value, steps: steps.value },
      })
      if (source.value?.id === id && counts()) application.value = answer
    } catch (error) {
      if (!(error instanceof CallProblem)) throw error
      notices.problem(error.message)
    }
  },
  { debounce: 150, immediate: true },
)

watch(
  () => standing.value?.id ?? null,
  id => void notices.attempt(() => order.followTrials(id)),
  { immediate: true },
)
const trials = computed(() => order.trials.filter(trial => trial.sourceId === standing.value?.id))
const letters = (index: number) =>
  String.fromCharCode(65 + (index % 26)) + (index >= 26 ? String(Math.floor(index / 26)) : '')
const variants = computed(() => trials.value.map((trial, index) => ({ trial, letter: letters(index) })))
/** Trials on the moments as they are now; older ones keep their own. */
const current = computed(() => variants.value.filter(({ trial }) => dequal(trial.moments, moments.value)))
/** The newest trial is looked at until another one is chosen. */
watch(
  () => current.value.length,
  () => {
    if (shown.value.length === 0 && current.value.length > 0) shown.value = [current.value.at(-1)!.trial.id]
  },
)
const looked = computed(() => current.value.filter(({ trial }) => shown.value.includes(trial.id)))

async function tryWishes(wishes: { label: string; steps: Step[] }[]): Promise<void> {
  if (!source.value) return
  busy.value = true
  const answer = await notices.attempt(() =>
    order.asking.trials(
      call('askForTrials', { body: { sourceId: source.value!.id, specKey: specKey.value, wishes } }),
      answer => answer.trials,
    ),
  )
  busy.value = false
  if (!answer) return
  for (const refusal of answer.refused) notices.problem(`${refusal.label}: ${refusal.reason}`)
  shown.value = answer.trials.slice(0, 3).map(trial => trial.id)
}

function label(): string {
  const known = order.treatments.find(entry => dequal(entry.steps, steps.value))
  if (known) return `${known.name} v${known.version}`
  const ofSound = application.value?.treatment?.result === null
  const words = steps.value
    .filter(step => (stepKinds[step.kind].group === 'sound') === ofSound)
    .map(describeChoice)
    .join('; ')
  return words === '' ? 'only what the spec wants' : words.length > 110 ? `${words.slice(0, 108)} ...` : words
}

async function changeMoments(next: Moment[] | null): Promise<void> {
  const answer = await notices.attempt(() =>
    call('setMoments', { parameters: { id: source.value!.id }, body: { moments: next } }),
  )
  if (!answer) return
  moments.value = answer.moments
  momentsByHand.value = answer.byHand
  momentAt.value = Math.min(momentAt.value, answer.moments.length - 1)
}

async function remove(ids: number[]): Promise<void> {
  const removed = await notices.attempt(async () => {
    await call('removeTrials', { body: { ids } })
    return true
  })
  if (!removed) return
  shown.value = shown.value.filter(id => !ids.includes(id))
  order.forgetTrials(ids)
}

function choose(trial: TrialRecord): void {
  steps.value = trial.steps
  keeping.value = trial.steps
}

async function kept(record: TreatmentRecord): Promise<void> {
  steps.value = record.steps
  await readLots()
}

function takeTreatment(id: number): void {
  steps.value = order.treatments.find(entry => entry.id === id)?.steps ?? steps.value
}

async function suggest(): Promise<void> {
  const suggested = await notices.attempt(() => call('suggestSteps', { parameters: { id: source.value!.id } }))
  if (suggested) steps.value = suggested.map(entry => entry.step)
}

/** Writes the steps as a file, with the tables and pictures that they name. */
async function save(): Promise<void> {
  const enclosed = await notices.attempt(() =>
    Promise.all(assetsOf(steps.value).map(({ asset }) => call('readAsset', { parameters: { sha256: asset.sha256 } }))),
  )
  if (!enclosed) return
  const assets = enclosed.map(({ name, kind, data }) => ({ name, kind, data }))
  const text = JSON.stringify(
    {
      format: 'hematine treatment',
      version: 1,
      name: treatment.value?.name ?? 'Untitled',
      steps: steps.value,
      ...(assets.length > 0 ? { assets } : {}),
    },
    null,
    2,
  )
  const address = URL.createObjectURL(new Blob([text], { type: 'application/json' }))
  Object.assign(document.createElement('a'), {
    href: address,
    download: `${treatment.value?.name ?? 'treatment'}.json`,
  }).click()
  URL.revokeObjectURL(address)
}

/** What a treatment's file holds of use here. */
const TreatmentFile = z.object({
  steps: Steps,
  assets: z
    .array(z.object({ name: z.string().trim().min(1).max(120), kind: AssetKind, data: z.base64() }))
    .max(60)
    .default([]),
})

async function load(event: Event): Promise<void> {
  const input = event.target as HTMLInputElement
  const [file] = input.files ?? []
  input.value = ''
  if (!file) return
  const read = TreatmentFile.safeParse(
    await file
      .text()
      .then(text => JSON.parse(text) as unknown)
      .catch(() => null),
  )
  if (!read.success) {
    notices.problem(
      `${file.name} is no treatment: ${read.error.issues[0]!.path.join('.') || 'the file'} ${read.error.issues[0]!.message.toLowerCase()}. A treatment is JSON with a list of steps.`,
    )
    return
  }
  for (const { name, kind, data } of read.data.assets)
    if (!(await notices.attempt(() => assets.keep(name, kind, data)))) return
  steps.value = read.data.steps
}
const chooser = ref<HTMLInputElement>()
const resultSize = computed(() => application.value?.treatment?.result?.frame ?? null)
const proposal = computed(() => treatment.value?.name ?? lot.value?.name ?? 'Treatment')
</script>

<template>
  <div class="station">
    <div class="bar">
      <h1>Bench</h1>
      <template v-if="lot">
        <VSelect
          :model-value="lot.id"
          class="lot"
          :items="choices"
          item-value="id"
          item-title="name"
          label="Lot"
          @update:model-value="id => router.replace({ query: { lot: id } })"
        >
          <template #item="{ props: entry, item }"
            ><VListItem
              v-bind="entry"
              :title="`${item.name}, ${item.count} ${item.count === 1 ? 'source' : 'sources'}`"
              :subtitle="item.reason"
          /></template>
        </VSelect>
        <VSelect
          v-if="standing"
          :model-value="standing.id"
          class="standing"
          :items="members"
          item-value="id"
          item-title="name"
          label="Standing for it"
          @update:model-value="id => router.replace({ query: { lot: lot!.id, source: id } })"
        />
        <span class="muted ellipsis">{{ lot.reason }}</span>
      </template>
      <span class="spacer" />
      <VSelect
        v-if="lot"
        v-model="specKey"
        class="spec"
        :items="specs"
        item-value="key"
        item-title="name"
        label="Spec"
      />
    </div>
    <div v-if="lot && source" class="fill work">
      <aside class="treatment" aria-label="Treatment">
        <div class="head">
          <h2>Treatment</h2>
          <span class="muted">{{
            treatment ? `${treatment.name} v${treatment.version}${isChanged ? ', changed' : ''}` : 'not kept yet'
          }}</span>
          <span class="spacer" />
          <VMenu location="bottom end">
            <template #activator="{ props: activator }"><VBtn v-bind="activator" variant="text">From</VBtn></template>
            <VList density="compact">
              <VListItem title="What the findings suggest" @click="suggest" />
              <VListItem
                v-for="entry in order.treatments"
                :key="entry.id"
                :title="`${entry.name} v${entry.version}`"
                :subtitle="`${entry.steps.length} steps`"
                @click="takeTreatment(entry.id)"
              />
              <VListItem title="A file ..." @click="chooser?.click()" />
              <VListItem title="Save to a file" @click="save" />
            </VList>
          </VMenu>
          <input
            ref="chooser"
            type="file"
            accept=".json,application/json"
            class="visually-hidden"
            tabindex="-1"
            aria-label="Treatment to read"
            @change="load"
          />
        </div>
        <div class="scroll list">
          <StepList v-model="steps" :picture="resultSize" :reasons="reasons" />
        </div>
        <div class="outcome" role="status">
          <p v-for="sentence in application?.moved ?? []" :key="sentence" class="look">{{ sentence }}</p>
          <p v-if="application?.refused" class="bad">{{ application.refused }}</p>
          <p v-else-if="application?.treatment">
            <span class="muted">out</span> {{ describeTreatmentResult(application.treatment) }},
            <span v-if="application.treatment.result" class="number"
              >{{ application.treatment.result.frameCount }} frames</span
            ><span v-else class="number">{{ describeClock(application.treatment.seconds) }}</span>
          </p>
          <template v-if="application?.treatment?.result === null"
            ><p v-for="sentence in application.treatment.leftOut" :key="sentence" class="look">
              {{ sentence }}
            </p></template
          >
        </div>
        <div class="acts">
          <VBtn
            color="primary"
            :disabled="!application?.treatment || moments.length === 0"
            :loading="busy"
            @click="tryWishes([{ label: label(), steps }])"
            >Try {{ moments.length }} {{ moments.length === 1 ? 'moment' : 'moments' }}</VBtn
          >
          <VBtn :disabled="steps.length === 0 || !application?.treatment" @click="varying = true">Vary</VBtn>
          <VBtn variant="text" :disabled="!application?.treatment" @click="keeping = steps">Keep</VBtn>
        </div>
      </aside>
      <div class="right">
        <TrialViewer :trials="looked" :leading="shown[0] ?? null" :source="source" :moment="momentAt">
          <div class="before">
            <img
              v-if="moments[momentAt] && source.facts?.video"
              :src="
                addressOf('sourceFrame', { parameters: { id: source.id }, query: { seconds: moments[momentAt]!.from } })
              "
              :alt="`The source at the moment ${moments[momentAt]!.reason}`"
            />
            <span class="hint">{{
              source.facts?.video
                ? 'The source as it is. Try the treatment to see the result beside it.'
                : 'Sound alone. Try the treatment to hear the result beside the source.'
            }}</span>
          </div>
        </TrialViewer>
        <MomentBar
          v-model="momentAt"
          :moments="moments"
          :by-hand="momentsByHand"
          :source="source"
          @change="changeMoments"
        />
      </div>
      <VaryDialog v-model="varying" :steps="steps" @vary="tryWishes" />
      <KeepDialog
        :model-value="keeping !== null"
        :steps="keeping ?? []"
        :lots="choices"
        :lot-id="lot.id"
        :proposal="proposal"
        @update:model-value="
          open => {
            if (!open) keeping = null
          }
        "
        @kept="kept"
      />
    </div>
    <template v-if="lot && source">
      <TrialSheet
        v-if="current.length > 0"
        v-model:shown="shown"
        v-model:moment="momentAt"
        class="sheet"
        :variants="current"
        :moments="moments"
        :source="source"
        :lot="lot"
        :spec-key="specKey"
        @choose="choose"
        @remove="remove"
      />
      <p v-else class="none muted">
        {{
          trials.length > 0
            ? 'Earlier trials were made on other moments. Choose the moments by measurement to see them again, or try once more.'
            : 'No trials yet. Each variant becomes a row here, with its time, size and figures, measured on this machine.'
        }}
      </p>
    </template>
    <EmptyState v-else-if="order.loaded && !isReading && choices.length === 0" title="Nothing to treat yet">
      Lots of moving pictures come here from Intake: choose their treatment, and try it on moments before the night.
      <br /><VBtn to="/intake">Go to Intake</VBtn>
    </EmptyState>
    <div v-else class="empty" role="status">Reading the lot</div>
  </div>
</template>

<style scoped>
.bar :deep(.v-select) {
  flex: none;
}
.lot {
  width: 150px;
}
.standing {
  width: 230px;
}
.spec {
  width: 190px;
}
.treatment {
  width: 300px;
  flex: none;
  display: flex;
  flex-direction: column;
  border-right: 1px solid var(--line);
  min-height: 0;
}
.head {
  display: flex;
  align-items: center;
  gap: 8px;
  min-height: 36px;
  padding: 0 4px 0 12px;
  border-bottom: 1px solid var(--line);
}
.list {
  flex: 1;
}
.outcome {
  padding: 6px 12px;
  border-top: 1px solid var(--line);
  max-height: 130px;
  overflow: auto;
}
.outcome p {
  margin: 0 0 4px;
}
.acts {
  display: flex;
  gap: 6px;
  padding: 6px 12px 10px;
}
.right {
  flex: 1;
  min-width: 0;
  display: flex;
  flex-direction: column;
}
.work {
  flex: 3;
}
.sheet {
  flex: 1.35;
  border-top: 1px solid var(--line);
}
.none {
  margin: 0;
  padding: 10px 12px;
  flex: none;
  border-top: 1px solid var(--line);
}
.before {
  position: relative;
  display: grid;
  min-height: 0;
}
.before img {
  width: 100%;
  height: 100%;
  object-fit: contain;
  min-height: 0;
  position: absolute;
  inset: 0;
}
.hint {
  position: absolute;
  left: 8px;
  top: 8px;
  padding: 1px 6px;
  font-size: 12px;
  background: rgb(22 22 22 / 0.8);
}
</style>
