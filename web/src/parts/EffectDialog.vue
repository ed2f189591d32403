<script setup lang="ts">
// What an edit would lead to, before it is made.
import { computed } from 'vue'
import type { Careful } from '@/logic/careful'
import EffectList from './EffectList.vue'

const props = defineProps<{ asking: Careful | null; busy?: boolean }>()
const emit = defineEmits<{ agree: []; leave: [] }>()
const open = computed({ get: () => props.asking !== null, set: () => emit('leave') })
</script>

<template>
  <el-dialog v-model="open" :title="asking?.what ?? ''" width="min(34rem, 96vw)" append-to-body>
    <div class="effects"><EffectList :effects="asking?.effects ?? []" /></div>
    <div class="act">
      <el-button type="primary" :loading="busy" @click="emit('agree')">Change it</el-button>
      <el-button @click="emit('leave')">Leave it as it is</el-button>
    </div>
  </el-dialog>
</template>

<style scoped>
.effects {
  margin-bottom: 1rem;
}
</style>
