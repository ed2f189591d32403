<script setup lang="ts">
// A number at a link: how much waits there.
defineProps<{ n: number; word: string; tone: 'alarm' | 'caution' }>()
</script>

<template>
  <span v-if="n > 0" class="count" :class="tone"
    >{{ n }}<span class="visually-hidden"> {{ word }}</span></span
  >
</template>

<style scoped>
.count {
  margin-left: 0.35rem;
  padding: 0 0.35rem;
  border-radius: 0.7rem;
  color: var(--bar-ink);
  font-size: var(--size-small);
  font-weight: 600;
}
.alarm {
  background: var(--alarm);
}
.caution {
  background: var(--caution);
}
</style>
