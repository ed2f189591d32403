<script setup lang="ts">
import { ref } from 'vue'
import { useAddCalendar } from '@/data/queries'
import { useProblems } from '@/logic/form'

defineProps<{ dialog?: boolean }>()
const emit = defineEmits<{ added: [] }>()
const add = useAddCalendar()
const problems = useProblems()
const name = ref('')
const zone = ref(Intl.DateTimeFormat().resolvedOptions().timeZone)
const grain = ref<'night' | 'day' | 'time'>('day')
const capacity = ref(1)

async function send() {
  const done = await problems.attempt(() =>
    add.mutateAsync({ name: name.value, zone: zone.value, grain: grain.value, capacity: capacity.value }),
  )
  if (!done) return
  name.value = ''
  emit('added')
}
</script>

<template>
  <section class="first">
    <h1 v-if="!dialog">What do you let out?</h1>
    <p class="soft">A calendar is one bookable thing: a boat, a hall, a row of berths. Feeds are put on it next.</p>
    <el-form label-position="top" @submit.prevent="send">
      <el-form-item label="Name" :error="problems.of('name')"><el-input v-model="name" /></el-form-item>
      <el-form-item label="It is let by the" :error="problems.of('grain')">
        <el-radio-group v-model="grain">
          <el-radio value="night">night</el-radio>
          <el-radio value="day">day</el-radio>
          <el-radio value="time">hour or minute</el-radio>
        </el-radio-group>
      </el-form-item>
      <el-form-item label="How many fit at once" :error="problems.of('capacity')">
        <el-input-number v-model="capacity" :min="1" :max="10000" />
      </el-form-item>
      <el-form-item label="Time zone" :error="problems.of('zone')"><el-input v-model="zone" /></el-form-item>
      <p v-if="problems.rest.value" role="alert" class="failed">{{ problems.rest.value }}</p>
      <el-button type="primary" native-type="submit" :loading="add.isPending.value">Add the calendar</el-button>
    </el-form>
  </section>
</template>

<style scoped>
.first {
  max-width: 30rem;
  display: grid;
  gap: 0.8rem;
}
.failed {
  color: var(--alarm);
}
</style>
