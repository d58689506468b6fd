<script setup lang="ts">
import { mdiClose } from '@mdi/js'
import StateMark from '~/components/common/StateMark.vue'
import { useNotices } from '~/stores/notices'

const notices = useNotices()
</script>

<template>
  <div class="notices" role="status" aria-live="polite">
    <div v-for="notice in notices.notices" :key="notice.id" class="notice" :class="notice.kind">
      <StateMark :state="notice.kind === 'problem' ? 'look' : 'pass'" />
      <span class="text">{{ notice.text }}</span>
      <VBtn :icon="mdiClose" size="24" variant="text" aria-label="Dismiss" @click="notices.dismiss(notice.id)" />
    </div>
  </div>
</template>

<style scoped>
.notices {
  position: fixed;
  right: 16px;
  bottom: 16px;
  z-index: 3000;
  display: flex;
  flex-direction: column;
  gap: 8px;
  max-width: 460px;
}
.notice {
  display: flex;
  gap: 10px;
  align-items: flex-start;
  padding: 8px 8px 8px 12px;
  background: rgb(var(--v-theme-surface-light));
  border: 1px solid var(--line);
  border-left: 3px solid var(--good);
  border-radius: 2px;
}
.notice.problem {
  border-left-color: var(--look);
}
.text {
  flex: 1;
  padding-top: 2px;
  overflow-wrap: anywhere;
}
.mark {
  padding-top: 6px;
}
</style>
