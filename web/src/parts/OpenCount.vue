<script setup lang="ts">
import { computed } from 'vue'
import { useConflicts } from '@/data/queries'

const conflicts = useConflicts()
const open = computed(() => (conflicts.data.value ?? []).filter((c) => c.state === 'open').length)
</script>

<template>
  <span v-if="open > 0" class="count"> {{ open }}<span class="visually-hidden"> open</span></span>
</template>

<style scoped>
.count {
  margin-left: 0.35rem;
  padding: 0 0.35rem;
  border-radius: 0.7rem;
  background: var(--alarm);
  color: var(--bar-ink);
  font-size: var(--size-small);
  font-weight: 600;
}
</style>
