<script setup lang="ts">
import { ref } from 'vue'
import { call, CallProblem, locked } from '~/composables/useCall'

/** Asks for the passphrase that the server was started with. */
const emit = defineEmits<{ given: [] }>()
const passphrase = ref('')
const problem = ref<string | null>(null)
const busy = ref(false)

async function give(): Promise<void> {
  busy.value = true
  problem.value = null
  try {
    await call('giveSession', { body: { passphrase: passphrase.value } })
    locked.value = false
    emit('given')
  } catch (error) {
    if (!(error instanceof CallProblem)) throw error
    problem.value = error.message
  } finally {
    busy.value = false
  }
}
</script>

<template>
  <div class="locked">
    <form class="gate" @submit.prevent="give">
      <h1>Passphrase</h1>
      <p>This Hematine asks every browser for it once.</p>
      <VTextField
        v-model="passphrase"
        type="password"
        label="Passphrase"
        autocomplete="current-password"
        autofocus
        :error-messages="problem ?? []"
      />
      <VBtn type="submit" color="primary" :disabled="passphrase === '' || busy">Open</VBtn>
    </form>
  </div>
</template>

<style scoped>
.locked {
  display: grid;
  place-content: center;
}
.gate {
  display: flex;
  flex-direction: column;
  gap: 10px;
  width: 340px;
  margin: 0 auto;
  text-align: left;
}
h1 {
  font-size: 15px;
  font-weight: 600;
}
p {
  color: rgb(var(--v-theme-muted));
}
</style>
