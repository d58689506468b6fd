<script setup lang="ts">
import AskDialog from '~/components/common/AskDialog.vue'
import { stations } from '~/composables/stations'

const open = defineModel<boolean>({ required: true })
const keys: [string, string][] = [
  ['Ctrl K', 'find a command'],
  ['?', 'this list'],
  ...stations.map(station => [station.key, `go to ${station.name}`] as [string, string]),
  ['↑ ↓', 'open the row above or below'],
  ['Space', 'select the row; in Handover: compare it'],
  ['Enter', 'open or close the lot; in Handover: compare the result'],
  ['← →', 'in lists: close or open the lot'],
  ['Shift ↑ ↓', 'in lists: choose the rows passed'],
  ['Ctrl A', 'in lists: choose all'],
  ['M', 'in Intake: move what is chosen to a lot'],
  ['F2', 'in Intake: name the lot, or join it with another'],
  ['Alt ↑ ↓', 'in Shift: move the job earlier or later'],
  ['Alt Home End', 'in Shift: move the job to the front or the end'],
  ['← →', 'in the comparison: one frame back or on'],
  ['Shift ← →', 'in the comparison: one second back or on'],
  ['W', 'in the comparison and in Bench: next way of comparing'],
  ['F', 'in the comparison and in Bench, flip: the source while it is held'],
  ['Q E', 'in the comparison and in Bench: move the wipe'],
  ['+ −  0', 'in the comparison and in Bench: larger, smaller, fit'],
  ['J K L', 'in Bench: back, stop, forward; again for faster'],
  ['← →', 'in Bench: one frame back or on'],
  ['S', 'in Bench: the sound of the next picture, then none'],
  ['I O', 'in Bench: begin and end of a moment of your own'],
]
</script>

<template>
  <AskDialog v-model="open" title="Keys">
    <table class="facts">
      <tbody>
        <tr v-for="[key, what] in keys" :key="key">
          <th scope="row">
            <kbd>{{ key }}</kbd>
          </th>
          <td>{{ what }}</td>
        </tr>
      </tbody>
    </table>
    <template #buttons><VBtn @click="open = false">Close</VBtn></template>
  </AskDialog>
</template>
