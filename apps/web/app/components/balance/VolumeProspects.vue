<script setup lang="ts">
import { describeBytes, describeBytesRange, describeCount, type Supposed, type VolumeRecord } from '@hematine/core'
import { computed } from 'vue'
import { nameOfDisk } from '~/composables/disk-names'
import { moment } from '~/composables/times'
import type { Outlook } from '~/composables/useOutlook'

/** Disks with delivery volumes that something is still to be written to: as it is and, below it, as is supposed. */
const { asIs, ifSo, volumes } = defineProps<{ asIs: Outlook; ifSo: Outlook | null; volumes: readonly VolumeRecord[] }>()
const supposed = defineModel<Supposed>({ required: true })

type Volume = Outlook['volumes'][number]
const gigabyte = 1e9
const rows = computed(() => {
  const then = (now: Volume) => ifSo?.volumes.find(({ volumeIds }) => volumeIds.some(id => now.volumeIds.includes(id)))
  return asIs.volumes.map(now => ({ now, then: then(now) ?? null }))
})

/** When a volume is full, in words. */
function full({ fullSeconds, fullEarlySeconds, bytes, freeBytes }: Volume, { at }: Outlook): string {
  if (freeBytes === null) return 'room not known'
  const when = (seconds: number) => moment(new Date(new Date(at).getTime() + seconds * 1000), new Date(at))
  if (fullSeconds !== null)
    return fullEarlySeconds !== null && fullEarlySeconds < fullSeconds
      ? `${when(fullSeconds)}, as early as ${when(fullEarlySeconds)}`
      : when(fullSeconds)
  if (fullEarlySeconds !== null) return `perhaps, from ${when(fullEarlySeconds)} on`
  return bytes.expected > freeBytes ? 'before all is done' : 'all fits'
}
const isFull = ({ fullEarlySeconds, bytes, freeBytes }: Volume) =>
  fullEarlySeconds !== null || (freeBytes !== null && bytes.high > freeBytes)

function supposeRoom(volume: Volume, event: Event): void {
  const gigabytes = (event.target as HTMLInputElement).valueAsNumber
  const others = supposed.value.room.filter(({ volumeId }) => !volume.volumeIds.includes(volumeId))
  const isOwn = !Number.isFinite(gigabytes) || gigabytes < 0 || gigabytes === inGigabytes(volume.freeBytes)
  const room = isOwn ? others : [...others, { volumeId: volume.volumeIds[0]!, freeBytes: gigabytes * gigabyte }]
  supposed.value = { ...supposed.value, room }
}
const nameOf = ({ volumeIds }: Volume) => nameOfDisk(volumeIds, volumes)
const inGigabytes = (bytes: number | null) => (bytes === null ? null : Math.round(bytes / (gigabyte / 10)) / 10)
const roomOf = (volume: Volume) => {
  const entry = supposed.value.room.find(({ volumeId }) => volume.volumeIds.includes(volumeId))
  return inGigabytes(entry ? entry.freeBytes : volume.freeBytes)
}
</script>

<template>
  <table class="rows" aria-label="Delivery volumes">
    <thead>
      <tr>
        <th scope="col" class="first">Delivery volume</th>
        <th scope="col">Still to be written</th>
        <th scope="col">Free</th>
        <th scope="col">What if free (GB)</th>
        <th scope="col">Full</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="{ now, then } in rows" :key="now.volumeIds.join()">
        <td>{{ nameOf(now) }}</td>
        <td class="number">
          {{ describeBytesRange(now.bytes)
          }}<span v-if="now.unknown > 0" class="look"> without {{ describeCount(now.unknown) }} not known</span>
          <span v-if="ifSo" class="second then">{{ then ? describeBytesRange(then.bytes) : 'nothing' }}</span>
        </td>
        <td class="number">{{ now.freeBytes === null ? 'not known' : describeBytes(now.freeBytes) }}</td>
        <td>
          <input
            type="number"
            class="plain"
            min="0"
            step="0.1"
            :aria-label="`What if free on ${nameOf(now)}, in GB`"
            :value="roomOf(now)"
            @change="supposeRoom(now, $event)"
          />
        </td>
        <td class="number">
          <span :class="{ look: isFull(now), muted: ifSo !== null }">{{ full(now, asIs) }}</span>
          <span v-if="ifSo" class="second then" :class="{ look: then !== null && isFull(then) }"
            ><span class="visually-hidden">if so: </span>{{ then ? full(then, ifSo) : 'nothing is written' }}</span
          >
        </td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
td {
  padding-top: 3px;
  padding-bottom: 3px;
}
input {
  width: 90px;
}
</style>
