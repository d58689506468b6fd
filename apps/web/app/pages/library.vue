<script setup lang="ts">
import { describeSpec, describeSpecLines } from '@hematine/core'
import { computed } from 'vue'
import SplitPane from '~/components/common/SplitPane.vue'
import { useOrder } from '~/stores/order'

useHead({ title: 'Library - Hematine' })
const order = useOrder()
const route = useRoute()
const router = useRouter()
const open = computed(() => order.specs.find(spec => spec.key === route.query.spec) ?? order.specs[0]!)
</script>

<template>
  <div class="station">
    <div class="bar"><h1>Library</h1><span class="muted">Delivery specs that ship with Hematine</span></div>
    <SplitPane name="spec" :initial="480">
      <template #first>
        <table class="rows">
          <thead><tr><th>Spec</th><th>Makes</th><th>Used by</th></tr></thead>
          <tbody>
            <tr v-for="spec in order.specs" :key="spec.key" :class="{ open: spec.key === open.key }">
              <td><button type="button" :aria-pressed="spec.key === open.key" @click="router.replace({ query: { spec: spec.key } })">{{ spec.name }}</button></td>
              <td>{{ describeSpec(spec) }}</td>
              <td class="number">{{ order.jobList.filter(job => job.specKey === spec.key && job.state !== 'cancelled').length || '' }}</td>
            </tr>
          </tbody>
        </table>
      </template>
      <template #second>
        <div class="panel">
          <h2>{{ open.name }}</h2>
          <p class="muted purpose">{{ open.purpose }}</p>
          <table class="facts"><tbody><tr v-for="[name, value] in describeSpecLines(open)" :key="name"><th scope="row">{{ name }}</th><td>{{ value }}</td></tr></tbody></table>
        </div>
      </template>
    </SplitPane>
  </div>
</template>

<style scoped>
.rows { width: 100%; border-collapse: collapse; }
.rows th { text-align: left; font-weight: 400; color: var(--muted); height: 28px; padding: 0 12px; background: rgb(var(--v-theme-surface)); box-shadow: inset 0 -1px 0 var(--line); }
.rows td { height: 30px; padding: 0 12px; border-bottom: 1px solid var(--line); }
tr.open td { background: var(--raised); }
tr.open td:first-child { box-shadow: inset 3px 0 0 var(--accent); }
button { width: 100%; text-align: left; min-height: 30px; }
.purpose { margin: 0 0 8px; }
</style>
