<script setup lang="ts">
import { describeCount, describeCountShort } from '@hematine/core'
import { computed } from 'vue'
import { stations } from '~/composables/stations'
import { useOrder } from '~/stores/order'

const order = useOrder()
const route = useRoute()
/** Whether it is the station that is open, on any of its pages. */
const isHere = (path: string) => route.path === path || route.path.startsWith(`${path}/`)
/** Things that wait for a person's decision at a station, not totals. */
const counts = computed<Record<string, { count: number; what: string }>>(() => ({
  '/intake': { count: order.counts.undecided, what: 'sources without a job' },
  '/balance': { count: order.jobCounts.draft, what: 'drafts to release' },
  '/shift': { count: order.jobCounts.held, what: 'held jobs' },
  '/handover': {
    count: order.jobCounts.failed + (order.work?.look ?? 0),
    what: 'results to look at',
  },
  '/equipment': {
    count: order.volumes.filter(volume => volume.problem !== null).length,
    what: 'volumes with a problem',
  },
}))
</script>

<template>
  <nav class="rail" aria-label="Stations">
    <NuxtLink to="/intake" class="sign" aria-label="Hematine">
      <svg viewBox="0 0 32 32" width="24" height="24" aria-hidden="true">
        <path d="M5 4h6v9h10V4h6v24h-6v-9H11v9H5z" fill="currentColor" />
      </svg>
    </NuxtLink>
    <template v-for="(station, index) in stations" :key="station.path">
      <div v-if="station.aside && !stations[index - 1]!.aside" class="spacer" />
      <NuxtLink :to="station.path" class="station-link" :class="{ here: isHere(station.path) }">
        <VIcon :icon="station.icon" size="20" aria-hidden="true" />
        <span>{{ station.name }}</span>
        <span
          v-if="counts[station.path]?.count"
          class="count number"
          :title="`${describeCount(counts[station.path]!.count)} ${counts[station.path]!.what}`"
          >{{ describeCountShort(counts[station.path]!.count)
          }}<span class="visually-hidden"> {{ counts[station.path]!.what }}</span></span
        >
      </NuxtLink>
    </template>
  </nav>
</template>

<style scoped>
.rail {
  width: 68px;
  flex: none;
  display: flex;
  flex-direction: column;
  border-right: 1px solid var(--line);
  padding-bottom: 8px;
}
.sign {
  height: 44px;
  display: grid;
  place-items: center;
  color: var(--accent);
}
.station-link {
  position: relative;
  display: flex;
  flex-direction: column;
  align-items: center;
  gap: 2px;
  padding: 8px 0 7px;
  color: var(--muted);
  text-decoration: none;
  font-size: 12px;
}
.station-link:hover {
  color: rgb(var(--v-theme-on-surface));
}
.station-link.here {
  color: rgb(var(--v-theme-on-surface));
  background: rgb(var(--v-theme-surface));
  box-shadow: inset 3px 0 0 var(--accent);
}
.count {
  position: absolute;
  top: 3px;
  left: 38px;
  min-width: 16px;
  padding: 0 3px;
  font-size: 11px;
  line-height: 15px;
  text-align: center;
  border-radius: 2px;
  background: var(--look);
  color: rgb(var(--v-theme-background));
}
</style>
