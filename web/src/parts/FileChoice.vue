<script setup lang="ts">
// A button that lets a person choose files (.ics or .zip).
import { useTemplateRef } from 'vue'

defineProps<{ label: string; multiple?: boolean }>()
const emit = defineEmits<{ chosen: [files: File[]] }>()
const input = useTemplateRef<HTMLInputElement>('input')
function take() {
  const files = [...(input.value?.files ?? [])]
  if (input.value) input.value.value = '' // so that the same one can be chosen again
  if (files.length > 0) emit('chosen', files)
}
</script>

<template>
  <span>
    <input
      ref="input"
      type="file"
      class="visually-hidden"
      tabindex="-1"
      accept=".ics,.zip,text/calendar,application/zip"
      :multiple="multiple"
      :aria-label="label"
      @change="take"
    />
    <el-button @click="input?.click()">{{ label }}</el-button>
  </span>
</template>
