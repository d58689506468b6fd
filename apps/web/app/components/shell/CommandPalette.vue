<script setup lang="ts">
import { describeCount, type SourceRow } from '@hematine/core'
import { watchDebounced } from '@vueuse/core'
import { computed, ref, watch } from 'vue'
import { stations } from '~/composables/stations'
import { call } from '~/composables/useCall'
import { useOrder } from '~/stores/order'

const open = defineModel<boolean>({ required: true })
const emit = defineEmits<{ theme: []; help: [] }>()
const order = useOrder()
const router = useRouter()
const words = ref('')
const at = ref(0)

/** Sources whose name has the words; the server looks through all of them. */
const sources = ref<SourceRow[]>([])
watchDebounced(
  words,
  async wanted => {
    const parts = wanted
      .toLowerCase()
      .split(/\s+/)
      .filter(part => part !== '' && !'open source'.split(' ').some(word => word.startsWith(part)))
      .slice(0, 8)
    if (parts.join('').length < 2 || !order.order) return void (sources.value = [])
    const { rows } = await call('listSources', {
      query: {
        orderId: order.order.id,
        filter: JSON.stringify(parts.map(value => ({ field: 'name', how: 'contains', value }))),
        limit: 12,
      },
    })
    if (words.value === wanted) sources.value = rows
  },
  { debounce: 150 },
)

interface Command {
  name: string
  run: () => void
}

const commands = computed<Command[]>(() => [
  ...stations.map(station => ({ name: `Go to ${station.name}`, run: () => void router.push(station.path) })),
  ...order.orders.map(entry => ({
    name: `Open order ${entry.code} ${entry.name}`,
    run: () => void order.choose(entry.id),
  })),
  ...(order.jobCounts.draft > 0
    ? [
        {
          name: `Release ${describeCount(order.jobCounts.draft)} drafts`,
          run: () => void order.actOnAll({ states: ['draft'] }, 'release'),
        },
      ]
    : []),
  {
    name: 'Hold everything',
    run: () => void order.actOnAll({ states: ['waiting', 'queued', 'running'] }, 'hold'),
  },
  {
    name: 'Resume everything held',
    run: () => void order.actOnAll({ states: ['held'] }, 'resume'),
  },
  ...sources.value.map(source => ({
    name: `Open source ${source.name}`,
    run: () => void router.push({ path: '/intake', query: { source: source.id } }),
  })),
  { name: 'Switch between dark and light', run: () => emit('theme') },
  { name: 'Show the keys', run: () => emit('help') },
])
const found = computed(() => {
  const parts = words.value.toLowerCase().split(/\s+/).filter(Boolean)
  return commands.value.filter(command => parts.every(part => command.name.toLowerCase().includes(part))).slice(0, 12)
})
watch(words, () => {
  at.value = 0
})
watch(open, () => {
  words.value = ''
})

function run(command: Command | undefined): void {
  open.value = false
  command?.run()
}
</script>

<template>
  <VDialog v-model="open" max-width="520" aria-label="Commands" class="palette">
    <VCard>
      <input
        v-model="words"
        class="words"
        autofocus
        placeholder="What do you want to do?"
        aria-label="Find a command"
        role="combobox"
        aria-expanded="true"
        aria-controls="command-list"
        :aria-activedescendant="found[at] ? `command-${at}` : undefined"
        @keydown.down.prevent="at = Math.min(at + 1, found.length - 1)"
        @keydown.up.prevent="at = Math.max(at - 1, 0)"
        @keydown.enter.prevent="run(found[at])"
      />
      <div id="command-list" role="listbox" aria-label="Commands" class="list">
        <div
          v-for="(command, index) in found"
          :id="`command-${index}`"
          :key="command.name"
          role="option"
          :aria-selected="index === at"
          class="command"
          :class="{ at: index === at }"
          @click="run(command)"
          @mousemove="at = index"
        >
          {{ command.name }}
        </div>
        <div v-if="found.length === 0" class="command muted" role="option" aria-selected="false" aria-disabled="true">
          No command has these words.
        </div>
      </div>
    </VCard>
  </VDialog>
</template>

<style scoped>
.words {
  margin: 10px;
  padding: 6px 10px;
  border: 1px solid var(--muted);
  border-radius: 2px;
  font: inherit;
  color: inherit;
  background: transparent;
}
.list {
  padding-bottom: 8px;
}
.command {
  padding: 5px 16px;
  cursor: default;
}
.command.at {
  background: var(--raised);
  box-shadow: inset 3px 0 0 var(--accent);
}
</style>
