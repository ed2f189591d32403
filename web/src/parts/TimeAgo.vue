<script setup lang="ts">
import { computed } from 'vue'
import { distance } from '@/logic/dates'
import { useClock } from '@/logic/now'

const props = defineProps<{ at?: string }>()
const now = useClock()
const exact = computed(() =>
  props.at ? new Date(props.at).toLocaleString('en-GB', { dateStyle: 'medium', timeStyle: 'long' }) : '',
)
</script>

<template>
  <time v-if="at" :datetime="at" :title="exact">{{ distance(at, now) }}</time>
  <span v-else>never</span>
</template>
