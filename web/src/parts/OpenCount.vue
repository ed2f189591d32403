<script setup lang="ts">
import CountBadge from './CountBadge.vue'
import { computed } from 'vue'
import { useConflicts } from '@/data/queries'

const conflicts = useConflicts()
const open = computed(() => (conflicts.data.value ?? []).filter((c) => c.state === 'open').length)
</script>

<template>
  <CountBadge :n="open" word="open" tone="alarm" />
</template>
