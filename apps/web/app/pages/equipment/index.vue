<script setup lang="ts">
import { describeBytes, describeSharing, mostLanes, type WorkerRecord } from '@hematine/core'
import { useIntervalFn } from '@vueuse/core'
import { ref } from 'vue'
import EmptyState from '~/components/common/EmptyState.vue'
import StateMark from '~/components/common/StateMark.vue'
import EquipmentBar from '~/components/equipment/EquipmentBar.vue'
import GraphicsDevices from '~/components/equipment/GraphicsDevices.vue'
import RegisterVolume from '~/components/equipment/RegisterVolume.vue'
import WorkingHours from '~/components/equipment/WorkingHours.vue'
import { call } from '~/composables/useCall'
import { useNotices } from '~/stores/notices'
import { useOrder } from '~/stores/order'

useHead({ title: 'Equipment - Hematine' })
const order = useOrder()
const notices = useNotices()
const registering = ref(false)
// Free space changes without anybody telling; a line that is down is shown by the shell.
useIntervalFn(() => void order.loadVolumes().catch(() => undefined), 10_000)

async function forget(id: number): Promise<void> {
  await notices.attempt(async () => {
    await call('forgetVolume', { parameters: { id } })
    await order.loadVolumes()
  })
}
/** Gives a worker lanes; what is no number of them, or was refused, is put back. */
async function setLanes({ id, lanes }: WorkerRecord, event: Event): Promise<void> {
  const field = event.target as HTMLInputElement
  const wanted = field.valueAsNumber
  if (!Number.isInteger(wanted) || wanted < 0 || wanted > mostLanes) {
    notices.problem(`A worker has 0 to ${mostLanes} lanes, in whole numbers.`)
    field.value = String(lanes)
    return
  }
  const changed = await notices.attempt(() => call('changeWorker', { parameters: { id }, body: { lanes: wanted } }))
  field.value = String(changed?.lanes ?? lanes)
}
</script>

<template>
  <div class="station">
    <EquipmentBar>
      <VBtn color="primary" @click="registering = true">Register a volume</VBtn>
    </EquipmentBar>
    <div class="scroll panel">
      <section>
        <h2>Volumes</h2>
        <table v-if="order.volumes.length > 0" class="rows">
          <thead>
            <tr>
              <th>Name</th>
              <th>Role</th>
              <th>Directory</th>
              <th class="end">Free</th>
              <th class="end">Of</th>
              <th>State</th>
              <th><span class="visually-hidden">Actions</span></th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="volume in order.volumes" :key="volume.id">
              <td>{{ volume.name }}</td>
              <td>{{ volume.role }}</td>
              <td class="number path" :title="volume.path">{{ volume.path }}</td>
              <td class="end number">{{ volume.freeBytes === null ? '' : describeBytes(volume.freeBytes) }}</td>
              <td class="end number">{{ volume.totalBytes === null ? '' : describeBytes(volume.totalBytes) }}</td>
              <td>
                <StateMark v-if="volume.problem" state="look" :label="volume.problem" /><StateMark
                  v-else
                  state="pass"
                  label="ready"
                />
              </td>
              <td class="end">
                <VBtn variant="text" :height="24" :aria-label="`Forget ${volume.name}`" @click="forget(volume.id)"
                  >Forget</VBtn
                >
              </td>
            </tr>
          </tbody>
        </table>
        <EmptyState v-else title="No volume is registered"
          >A volume is a directory with a role: sources are read from one, results are written to another.<br /><VBtn
            @click="registering = true"
            >Register a volume</VBtn
          ></EmptyState
        >
      </section>
      <section>
        <h2>Workers</h2>
        <table v-if="order.workers.length > 0" class="rows">
          <thead>
            <tr>
              <th>Name</th>
              <th>Machine</th>
              <th class="end">Lanes</th>
              <th>State</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="worker in order.workers" :key="worker.id">
              <td>{{ worker.name }}</td>
              <td>{{ worker.machine }}</td>
              <td class="end">
                <input
                  class="lanes plain number"
                  type="number"
                  min="0"
                  :max="mostLanes"
                  :value="worker.lanes"
                  :aria-label="`Lanes of ${worker.name}`"
                  @change="setLanes(worker, $event)"
                />
              </td>
              <td><StateMark :state="worker.lanes > 0 ? 'pass' : 'held'" :label="worker.state" /></td>
            </tr>
          </tbody>
        </table>
        <p v-if="order.workers.length > 0" class="muted hint">
          A lane does one job, or a part of one, at a time. With fewer, what was begun is finished and nothing new is
          taken; with none, the worker takes no jobs and still reads and measures sources.
          {{ order.work && describeSharing(order.work.lanes, order.work.sharing) }}
        </p>
        <EmptyState v-if="order.workers.length === 0" title="No worker is at work"
          >Jobs wait until one starts. The start command runs one; README says how to add more, also on other
          machines.</EmptyState
        >
      </section>
      <GraphicsDevices :workers="order.workers" />
      <WorkingHours />
    </div>
    <RegisterVolume v-if="registering" @close="registering = false" />
  </div>
</template>

<style scoped>
.lanes {
  width: 64px;
  height: 24px;
  text-align: right;
}
.hint {
  margin: 8px 0 0;
  max-width: 92ch;
}
.path {
  max-width: 420px;
  overflow: hidden;
  text-overflow: ellipsis;
}
</style>
