<script setup lang="ts">
import { usualSheet, type SpecSheet } from '@hematine/core'
import NumberField from '~/components/common/NumberField.vue'

/** The contact sheet beside each result: whether there is one, and of how many frames. */
const sheet = defineModel<SpecSheet | undefined>({ required: true })

const whole = (value: number | null) => Math.round(value ?? 0)
const isChecked = (event: Event) => (event.target as HTMLInputElement).checked
function change(changes: { [Part in keyof SpecSheet]?: SpecSheet[Part] | undefined }): void {
  const { times, ...rest } = { ...sheet.value!, ...changes }
  sheet.value = { ...(rest as SpecSheet), ...(times ? { times } : {}) }
}
</script>

<template>
  <label class="check"
    ><input
      type="checkbox"
      :checked="sheet !== undefined"
      @change="event => (sheet = isChecked(event) ? { ...usualSheet } : undefined)"
    />
    a contact sheet beside each: frames spread over it, as a JPEG</label
  >
  <template v-if="sheet">
    <NumberField
      label="Frames side by side"
      :least="1"
      :most="20"
      :model-value="sheet.across"
      @update:model-value="value => change({ across: whole(value) })"
    />
    <NumberField
      label="Rows"
      :least="1"
      :most="50"
      :model-value="sheet.down"
      @update:model-value="value => change({ down: whole(value) })"
    />
    <NumberField
      label="Pixels that the sheet is wide"
      :least="200"
      :most="8000"
      :step="100"
      :model-value="sheet.width"
      @update:model-value="value => change({ width: whole(value) })"
    />
    <label class="check"
      ><input
        type="checkbox"
        :checked="sheet.times ?? false"
        @change="event => change({ times: isChecked(event) || undefined })"
      />
      with the time of each frame</label
    >
  </template>
</template>
