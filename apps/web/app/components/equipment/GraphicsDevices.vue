<script setup lang="ts">
import {
  describeBytes,
  hardwareFamilies,
  hardwareFamily,
  pictureCodec,
  standInFaults,
  type Device,
  type StandInFault,
  type WorkerRecord,
} from '@hematine/core'
import { computed } from 'vue'
import StateMark from '~/components/common/StateMark.vue'
import { call } from '~/composables/useCall'
import { useNotices } from '~/stores/notices'

/** Graphics devices that encode: what each can do as it was tried, and where none was found, why. */
const { workers } = defineProps<{ workers: readonly WorkerRecord[] }>()
const notices = useNotices()

const rows = computed(() =>
  workers.flatMap(worker =>
    worker.found.devices.map(device => ({ worker, device, trouble: worker.troubles[device.key] })),
  ),
)
const missing = computed(() =>
  workers
    .filter(({ found }) => found.missing.length > 0)
    .map(({ id, name, found }) => ({
      id,
      name,
      ways: found.missing.map(({ family, problem }) => ({ family: familyName(family), problem })),
    })),
)
const familyName = (key: string) => hardwareFamilies.find(family => family.key === key)?.name ?? 'All'
/** "H.264, HEVC" */
function encodes({ encoders }: Device): string {
  return encoders
    .filter(({ problem }) => problem === null)
    .map(({ codec }) => pictureCodec(codec).name)
    .join(', ')
}
function encodesNot({ encoders }: Device): string[] {
  return encoders.flatMap(({ codec, problem }) => (problem === null ? [] : [`${pictureCodec(codec).name}: ${problem}`]))
}
const by = ({ encoders, kind }: Device) =>
  kind === 'stand-in' ? 'the processor, which plays it' : hardwareFamily(encoders[0]!.family).name
const faultItems: { value: StandInFault | null; title: string }[] = [
  { value: null, title: 'none' },
  ...standInFaults.map(fault => ({ value: fault, title: fault })),
]

async function suffer(id: string, fault: StandInFault | null): Promise<void> {
  await notices.attempt(() => call('changeFault', { parameters: { id }, body: { fault } }))
}
</script>

<template>
  <section>
    <h2>Graphics devices</h2>
    <table v-if="rows.length > 0" class="rows">
      <thead>
        <tr>
          <th>Device</th>
          <th>Worker</th>
          <th>Encodes</th>
          <th>Reached by</th>
          <th class="end">Sessions</th>
          <th class="end">Memory</th>
          <th>State</th>
          <th>Fault, to try</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="{ worker, device, trouble } in rows" :key="`${worker.id}/${device.key}`">
          <td>{{ device.name }}</td>
          <td>{{ worker.name === device.name ? 'its own' : worker.name }}</td>
          <td :title="encodesNot(device).join('\n')">
            {{ encodes(device)
            }}<span v-for="problem in encodesNot(device)" :key="problem" class="muted">; not {{ problem }}</span>
          </td>
          <td>{{ by(device) }}</td>
          <td class="end number">{{ device.sessions }}</td>
          <td class="end number">{{ device.memoryBytes === null ? '' : describeBytes(device.memoryBytes) }}</td>
          <td>
            <StateMark v-if="trouble" state="look" :label="trouble" />
            <StateMark v-else state="pass" label="works" />
          </td>
          <td>
            <select
              v-if="device.kind === 'stand-in'"
              class="fault"
              :value="worker.fault ?? ''"
              :aria-label="`Fault of ${device.name}`"
              @change="suffer(worker.id, (($event.target as HTMLSelectElement).value || null) as StandInFault | null)"
            >
              <option v-for="{ value, title } in faultItems" :key="title" :value="value ?? ''">{{ title }}</option>
            </select>
          </td>
        </tr>
      </tbody>
    </table>
    <p v-if="rows.length > 0" class="muted hint">
      A device takes jobs whose spec asks for the encoder of a graphics device, as many at a time as it has sessions and
      its worker lanes; a copy of a spec in the <NuxtLink to="/library">Library</NuxtLink> can ask for it. Real ones
      were tried with a few pictures that were decoded again; a stand-in is played by the processor at its own pace, and
      encodes what it is given.
    </p>
    <details v-if="missing.length > 0" class="muted">
      <summary>What was looked for and is not there</summary>
      <dl v-for="worker in missing" :key="worker.id">
        <template v-for="way in worker.ways" :key="way.family">
          <dt>{{ way.family }}{{ missing.length > 1 ? ` on ${worker.name}` : '' }}</dt>
          <dd>{{ way.problem }}</dd>
        </template>
      </dl>
    </details>
  </section>
</template>

<style scoped>
select.fault {
  height: 24px;
  padding: 0 4px;
  color: inherit;
  background: var(--field, transparent);
  border: 1px solid var(--line);
  border-radius: 3px;
}
dl {
  display: grid;
  grid-template-columns: max-content 1fr;
  gap: 2px 16px;
  margin: 6px 0 0;
}
dd {
  margin: 0;
}
summary {
  cursor: pointer;
}
</style>
