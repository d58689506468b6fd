<script setup lang="ts">
import { useEventListener, useLocalStorage } from '@vueuse/core'
import { onMounted, ref, watchEffect } from 'vue'
import { useTheme } from 'vuetify'
import CommandPalette from './CommandPalette.vue'
import KeyHelp from './KeyHelp.vue'
import NoticeList from './NoticeList.vue'
import OrderStrip from './OrderStrip.vue'
import PassphraseGate from './PassphraseGate.vue'
import StationRail from './StationRail.vue'
import { stations } from '~/composables/stations'
import { locked } from '~/composables/useCall'
import { useNotices } from '~/stores/notices'
import { useOrder } from '~/stores/order'

const order = useOrder()
const notices = useNotices()
const router = useRouter()
const theme = useTheme()
const themeName = useLocalStorage<'dark' | 'light'>('hematine-theme', 'dark')
const palette = ref(false)
const help = ref(false)
const failed = ref<string | null>(null)

watchEffect(() => {
  theme.change(themeName.value)
  document.documentElement.style.colorScheme = themeName.value
})

async function open(): Promise<void> {
  failed.value = null
  try {
    await order.open()
  } catch (error) {
    failed.value = (error as Error).message
  }
}
onMounted(open)

/** Whether keys belong to what has the focus. */
function isTyping(event: KeyboardEvent): boolean {
  const target = event.target as HTMLElement
  return (
    target.isContentEditable ||
    ['INPUT', 'TEXTAREA', 'SELECT'].includes(target.tagName) ||
    document.querySelector('.v-overlay--active [role="dialog"], .v-dialog.v-overlay--active') !== null
  )
}

useEventListener(window, 'keydown', (event: KeyboardEvent) => {
  if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'k') {
    event.preventDefault()
    palette.value = !palette.value
    return
  }
  if (event.ctrlKey || event.metaKey || event.altKey || isTyping(event)) return
  if (event.key === '?') help.value = true
  const station = stations.find(entry => entry.key === event.key)
  if (station) void router.push(station.path)
})
useEventListener(window, 'unhandledrejection', (event: PromiseRejectionEvent) =>
  notices.problem(
    `Something went wrong in the page: ${(event.reason as Error)?.message ?? event.reason}. Reload it if it does not recover.`,
  ),
)
</script>

<template>
  <div class="shell">
    <a class="skip" href="#station">Skip to the station</a>
    <StationRail />
    <div class="column">
      <!-- Of an order that may not be seen yet, nothing is known. -->
      <OrderStrip v-if="!locked" />
      <main id="station" tabindex="-1">
        <PassphraseGate v-if="locked" @given="open" />
        <div v-else-if="failed" class="empty">
          <strong>The order could not be loaded</strong>{{ failed }}<br /><VBtn @click="open">Try again</VBtn>
        </div>
        <div v-else-if="!order.loaded" class="empty" role="status">Loading the order</div>
        <slot v-else />
      </main>
    </div>
    <NoticeList />
    <CommandPalette
      v-model="palette"
      @theme="themeName = themeName === 'dark' ? 'light' : 'dark'"
      @help="help = true"
    />
    <KeyHelp v-model="help" />
  </div>
</template>

<style scoped>
.shell {
  display: flex;
  height: 100vh;
  width: 100vw;
  overflow: hidden;
  background: rgb(var(--v-theme-background));
  color: rgb(var(--v-theme-on-background));
}
.column {
  flex: 1;
  min-width: 0;
  display: flex;
  flex-direction: column;
}
main {
  position: relative;
  overflow: hidden;
  flex: 1;
  min-height: 0;
  display: flex;
  flex-direction: column;
  outline: none;
}
main > :deep(*) {
  flex: 1;
  min-height: 0;
}
.skip {
  position: absolute;
  left: -999px;
}
.skip:focus {
  left: 72px;
  top: 8px;
  z-index: 10;
  background: rgb(var(--v-theme-surface));
  padding: 6px 10px;
  color: inherit;
}
</style>
