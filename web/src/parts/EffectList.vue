<script setup lang="ts">
import { computed } from 'vue'
import type { Effect } from '@/data/api'

const props = defineProps<{ effects: Effect[] }>()
const most = 12
const shown = computed(() => props.effects.slice(0, most))
</script>

<template>
  <p v-if="effects.length === 0">No conflict and no publication changes by it.</p>
  <template v-else>
    <p>This is what it changes:</p>
    <ul>
      <li v-for="e in shown" :key="e.sentence">{{ e.sentence }}</li>
      <li v-if="effects.length > most">and {{ effects.length - most }} more of the kind</li>
    </ul>
  </template>
</template>

<style scoped>
ul {
  margin: 0.2rem 0 0;
  padding-left: 1.1rem;
}
</style>
