<script setup lang="ts">
import type { Effect } from '@/data/api'
import EffectList from './EffectList.vue'

defineProps<{ effects: Effect[]; word: string; busy: boolean }>()
const emit = defineEmits<{ keep: []; leave: [] }>()
</script>

<template>
  <div class="giving">
    <slot />
    <EffectList :effects="effects" />
    <div class="act">
      <el-button class="keep" type="primary" :loading="busy" @click="emit('keep')">{{ word }}</el-button>
      <el-button text @click="emit('leave')">Not now</el-button>
    </div>
  </div>
</template>

<style scoped>
.giving {
  border: 1px solid var(--line);
  background: var(--paper-raised);
  padding: 0.7rem 0.9rem;
  display: grid;
  gap: 0.5rem;
}
.act {
  display: flex;
  flex-wrap: wrap;
  gap: 0.4rem;
}
.act .el-button + .el-button {
  margin-left: 0;
}
</style>
