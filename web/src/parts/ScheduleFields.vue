<script setup lang="ts">
// When a feed is read.
import type { When } from '@/logic/words'

const when = defineModel<When | null>({ required: true })
defineProps<{ error?: string }>()
</script>

<template>
  <el-form-item v-if="when" label="When it is read" :error="error">
    <el-radio-group v-model="when.kind">
      <el-radio value="every">again and again</el-radio>
      <el-radio value="at">at fixed times</el-radio>
      <el-radio value="once">once, and not again</el-radio>
      <el-radio v-if="when.kind === 'text' || when.text.includes(' from ')" value="text">as it is written</el-radio>
    </el-radio-group>
    <p v-if="when.kind === 'every'" class="line">
      every <el-input-number v-model="when.minutes" :min="0.1" :max="44640" aria-label="Minutes between readings" />
      minutes
    </p>
    <p v-else-if="when.kind === 'at'" class="line">
      <el-input v-model="when.times" aria-label="Times of the day" placeholder="06:00,18:00" />
      <el-input v-model="when.zone" aria-label="Time zone" placeholder="America/Halifax" />
    </p>
    <el-input v-else-if="when.kind === 'text'" v-model="when.text" aria-label="Schedule" />
  </el-form-item>
</template>

<style scoped>
.line {
  display: flex;
  gap: 0.5rem;
  align-items: center;
  width: 100%;
}
</style>
