<script setup lang="ts">
import type { Color } from '@/data/api'
import { colors } from '@/data/api'

const color = defineModel<Color | undefined>()
</script>

<template>
  <el-select v-model="color" aria-label="Colour" placeholder="One that is free">
    <el-option v-for="c in colors" :key="c" :value="c" :label="c">
      <span class="swatch" :style="{ background: `var(--feed-${c})` }" /> {{ c }}
    </el-option>
  </el-select>
</template>

<style scoped>
.swatch {
  display: inline-block;
  width: 0.8rem;
  height: 0.8rem;
  border-radius: 2px;
}
</style>
