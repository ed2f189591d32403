<script setup lang="ts">
import type { Color } from '@/data/api'
import { colorOf } from '@/logic/origin'

defineProps<{ color?: Color; label: string }>()
</script>

<template>
  <span class="tag"><span class="dot" :style="{ background: colorOf(color) }" />{{ label }}</span>
</template>

<style scoped>
.tag {
  display: inline-flex;
  align-items: baseline;
  gap: 0.4rem;
}
.dot {
  flex: none;
  width: 0.7rem;
  height: 0.7rem;
  border-radius: 2px;
}
</style>
