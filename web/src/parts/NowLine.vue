<script setup lang="ts">
import { computed } from 'vue'
import { daysBetween, wallClock } from '@/logic/dates'
import { useClock } from '@/logic/now'

// A component of its own, so that a second that goes by draws nothing else anew.
const props = defineProps<{ zone: string; origin: string; px: number; edge: number }>()
const now = useClock()
const left = computed(() => {
  const clock = wallClock(now.value.toISOString(), props.zone)
  const days =
    daysBetween(props.origin, clock.slice(0, 10)) + (Number(clock.slice(11, 13)) * 60 + Number(clock.slice(14))) / 1440
  return `${props.edge + days * props.px}px`
})
</script>

<template>
  <span class="now" :style="{ left }" />
</template>

<style scoped>
.now {
  position: absolute;
  top: 0;
  bottom: 0;
  border-left: 2px solid var(--water);
}
</style>
