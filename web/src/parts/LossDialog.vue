<script setup lang="ts">
import { computed } from 'vue'
import type { Asking } from '@/logic/removal'

const props = withDefaults(defineProps<{ asking: Asking | null; verb?: string; agree?: string; leave?: string }>(), {
  verb: 'Remove',
  agree: 'Remove it all the same',
  leave: 'Keep it',
})
const emit = defineEmits<{ agree: []; close: [] }>()
const open = computed({ get: () => props.asking !== null, set: () => emit('close') })
</script>

<template>
  <el-dialog v-model="open" :title="`${verb} ${asking?.what ?? ''}?`" width="min(34rem, 96vw)" append-to-body>
    <ul class="loses">
      <li v-for="sentence in asking?.loses ?? []" :key="sentence">{{ sentence }}</li>
    </ul>
    <slot />
    <div class="act">
      <el-button type="danger" @click="emit('agree')">{{ agree }}</el-button>
      <el-button @click="emit('close')">{{ leave }}</el-button>
    </div>
  </el-dialog>
</template>

<style scoped>
.act {
  margin-top: 0.8rem;
}
.loses {
  margin: 0 0 1rem;
  padding-left: 1.1rem;
  display: grid;
  gap: 0.4rem;
}
</style>
