<script setup lang="ts">
import { describeBytes } from '@hematine/core'
import { useUploads } from '~/stores/uploads'

const uploads = useUploads()
</script>

<template>
  <div v-if="uploads.uploads.length > 0" class="uploads scroll" aria-label="Uploads" role="group">
    <div v-for="upload in uploads.uploads" :key="upload.id" class="upload">
      <span class="ellipsis name">{{ upload.name }}</span>
      <VProgressLinear
        :model-value="upload.bytes > 0 ? (upload.sent / upload.bytes) * 100 : 0"
        height="3"
        color="primary"
        :aria-label="`Upload of ${upload.name}`"
        class="track"
      />
      <span class="number">{{ describeBytes(upload.sent) }} of {{ describeBytes(upload.bytes) }}</span>
      <span v-if="upload.reason" class="bad ellipsis">{{ upload.reason }}</span>
      <span v-if="upload.state === 'waiting'" class="muted">waits</span>
      <VBtn v-else-if="upload.state === 'sending'" @click="uploads.stop(upload.id)">Hold</VBtn>
      <VBtn v-else @click="uploads.goOn(upload.id)">Go on</VBtn>
      <VBtn variant="text" @click="uploads.cancel(upload.id)">Cancel</VBtn>
    </div>
  </div>
</template>

<style scoped>
.uploads {
  flex: none;
  max-height: 140px;
  border-bottom: 1px solid var(--line);
}
.upload {
  display: flex;
  align-items: center;
  gap: 12px;
  padding: 4px 12px;
}
.name {
  width: 260px;
}
.track {
  max-width: 260px;
}
</style>
