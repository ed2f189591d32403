<script setup lang="ts">
import type { Feed } from '@/data/api'

defineProps<{ state: Feed['state'] }>()
const marks = { fresh: '●', late: '◐', failing: '✕', guarded: '◧', paused: '‖' } as const
</script>

<template>
  <span class="state" :class="state"
    ><span aria-hidden="true">{{ marks[state] }}</span> {{ state }}</span
  >
</template>

<style scoped>
.state {
  font-weight: 600;
  white-space: nowrap;
}
.fresh {
  color: var(--calm);
}
.late,
.paused,
.guarded {
  color: var(--caution);
}
.failing {
  color: var(--alarm);
}
</style>
