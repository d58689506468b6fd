<script setup lang="ts">
import { countSectors, describeBytes, sectorBytes, type DiscCopyRecord, type ScanRecord } from '@hematine/core'
import { useLocalStorage } from '@vueuse/core'
import { computed, ref } from 'vue'
import StateMark from '~/components/common/StateMark.vue'
import { call } from '~/composables/useCall'
import { useNotices } from '~/stores/notices'
import { useOrder } from '~/stores/order'

/** Folders that are gone through or watched, and discs that are read in, while there is something to say of them. */
const order = useOrder()
const notices = useNotices()
const put = useLocalStorage<number[]>('hematine-scans-read', [])
const putCopies = useLocalStorage<number[]>('hematine-discs-read', [])
const shown = ref<ScanRecord | null>(null)
const scans = computed(() =>
  order.scans.filter(scan => scan.state === 'scanning' || !put.value.includes(scan.id)).slice(0, 4),
)
const placeOf = (folder: { volumeId: number; path: string }) =>
  `${order.volumes.find(volume => volume.id === folder.volumeId)?.name ?? 'volume'}${folder.path === '' ? '' : `: ${folder.path}`}`

const copies = computed(() =>
  order.copies.filter(copy => copy.state === 'reading' || !putCopies.value.includes(copy.id)).slice(0, 4),
)
const copyWords = { reading: 'Reading', done: 'Read', stopped: 'Stopped reading', failed: 'Could not read' } as const

function copyProgress(copy: DiscCopyRecord): string {
  const bad = countSectors(copy.unreadable)
  return [
    copy.sectorsTotal === null
      ? 'beginning'
      : copy.state === 'reading'
        ? `${describeBytes(copy.sectorsDone * sectorBytes)} of ${describeBytes(copy.sectorsTotal * sectorBytes)}`
        : describeBytes(copy.sectorsDone * sectorBytes),
    ...(copy.state === 'done' ? [`${copy.brought} ${copy.brought === 1 ? 'title' : 'titles'} brought in`] : []),
    ...(bad > 0 ? [`${bad} ${bad === 1 ? 'sector' : 'sectors'} unreadable`] : []),
  ].join(', ')
}

const stopCopy = (copy: DiscCopyRecord) =>
  notices.attempt(() => order.asking.copies(call('stopCopy', { parameters: { id: copy.id } }), stopped => [stopped]))
const stop = (scan: ScanRecord) =>
  notices.attempt(() => order.asking.scans(call('stopScan', { parameters: { id: scan.id } }), stopped => [stopped]))
const endWatch = (id: number) =>
  notices.attempt(async () => {
    await call('endWatch', { parameters: { id } })
    order.forgetWatch(id)
  })
</script>

<template>
  <div
    v-if="scans.length + copies.length + order.watches.length > 0"
    class="folders scroll"
    role="group"
    aria-label="Folders and discs"
  >
    <div v-for="copy in copies" :key="`copy-${copy.id}`" class="folder">
      <StateMark
        :state="
          copy.state === 'reading'
            ? 'running'
            : copy.state === 'failed'
              ? 'failed'
              : copy.unreadable.length > 0 || copy.reason
                ? 'look'
                : 'done'
        "
      />
      <span class="ellipsis"
        >{{ copyWords[copy.state] }} {{ copy.disc }}<span class="muted"> in {{ copy.driveName }}</span></span
      >
      <span class="number muted">{{ copyProgress(copy) }}</span>
      <span v-if="copy.reason" class="look ellipsis" :title="copy.reason">{{ copy.reason }}</span>
      <span class="spacer" />
      <VBtn v-if="copy.state === 'reading'" variant="text" @click="stopCopy(copy)">Stop</VBtn>
      <VBtn v-else variant="text" @click="putCopies = [...putCopies.slice(-100), copy.id]">Put away</VBtn>
    </div>
    <div v-for="scan in scans" :key="`scan-${scan.id}`" class="folder">
      <StateMark :state="scan.state === 'scanning' ? 'running' : scan.refusedCount > 0 ? 'look' : 'done'" />
      <span class="ellipsis"
        >{{ scan.state === 'scanning' ? 'Going through' : scan.state === 'done' ? 'Went through' : 'Stopped in' }}
        {{ placeOf(scan) }}</span
      >
      <span class="number muted"
        >{{ scan.directoriesDone
        }}<template v-if="scan.state === 'scanning'"> of {{ scan.directoriesDone + scan.directoriesWaiting }}</template>
        {{ scan.directoriesDone === 1 && scan.directoriesWaiting === 0 ? 'folder' : 'folders' }},
        {{ scan.brought }} brought in<template v-if="scan.alreadyThere > 0"
          >, {{ scan.alreadyThere }} were there</template
        ></span
      >
      <button
        v-if="scan.refusedCount > 0"
        type="button"
        class="link look"
        :aria-expanded="shown?.id === scan.id"
        @click="shown = shown?.id === scan.id ? null : scan"
      >
        {{ scan.refusedCount }} not usable
      </button>
      <span class="spacer" />
      <VBtn v-if="scan.state === 'scanning'" variant="text" @click="stop(scan)">Stop</VBtn>
      <VBtn v-else variant="text" @click="put = [...put.slice(-100), scan.id]">Put away</VBtn>
    </div>
    <ul v-if="shown" class="refused">
      <li v-for="entry in shown.refused" :key="entry.path">
        <span class="number">{{ entry.path }}</span> <span class="muted">{{ entry.reason }}</span>
      </li>
      <li v-if="shown.refusedCount > shown.refused.length" class="muted">
        and {{ shown.refusedCount - shown.refused.length }} more
      </li>
    </ul>
    <div v-for="watch in order.watches" :key="`watch-${watch.id}`" class="folder">
      <StateMark :state="watch.problem ? 'look' : 'waiting'" />
      <span class="ellipsis">Watching {{ placeOf(watch) }}</span>
      <span v-if="watch.problem" class="look ellipsis">{{ watch.problem }}</span>
      <span v-else class="number muted">{{
        watch.growing.length === 0
          ? 'nothing new'
          : `${watch.growing.length} still growing, ${describeBytes(watch.growing.reduce((sum, file) => sum + file.bytes, 0))}`
      }}</span>
      <span class="spacer" />
      <VBtn variant="text" @click="endWatch(watch.id)">End</VBtn>
    </div>
  </div>
</template>

<style scoped>
.folders {
  flex: none;
  max-height: 150px;
  border-bottom: 1px solid var(--line);
}
.folder {
  display: flex;
  align-items: center;
  gap: 10px;
  padding: 1px 12px;
  min-height: 30px;
}
.link {
  text-decoration: underline;
  white-space: nowrap;
}
.refused {
  margin: 0;
  padding: 2px 12px 6px 36px;
}
</style>
