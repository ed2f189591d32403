<script setup lang="ts">
// What changed on a calendar since yesterday, for a week, or since one was here last.
import { useStorage } from '@vueuse/core'
import { computed, ref, toRef, watch } from 'vue'
import { useCalendarChanges } from '@/data/queries'
import { count } from '@/logic/dates'
import { counts } from '@/logic/origin'
import ChangeList from './ChangeList.vue'

const props = defineProps<{ calendar: number }>()
const visits = useStorage<Record<number, string>>('wharf-visits', {})

const now = new Date()
const ago = (hours: number) => new Date(now.getTime() - hours * 3600_000).toISOString()
const last = ref('')
const chosen = ref<'day' | 'week' | 'visit'>('day')
watch(
  toRef(props, 'calendar'),
  (id) => {
    last.value = visits.value[id] ?? ''
    chosen.value = last.value ? 'visit' : 'day'
    visits.value = { ...visits.value, [id]: now.toISOString() }
  },
  { immediate: true },
)
const since = computed(() => (chosen.value === 'week' ? ago(168) : chosen.value === 'visit' ? last.value : ago(24)))
const changes = useCalendarChanges(toRef(props, 'calendar'), since)
const told = computed(() => (changes.data.value ?? []).filter((c) => c.kind !== 'passed' && counts(c.booking)))
</script>

<template>
  <section aria-label="What changed" class="what">
    <div class="line">
      <h2>What changed</h2>
      <el-radio-group v-model="chosen" size="small" aria-label="Since when">
        <el-radio v-if="last" value="visit">since you were here</el-radio>
        <el-radio value="day">since yesterday</el-radio>
        <el-radio value="week">for a week</el-radio>
      </el-radio-group>
    </div>
    <p v-if="changes.error.value" role="alert">{{ changes.error.value.message }}</p>
    <p v-else-if="changes.data.value && told.length === 0" class="soft">No reading has changed anything.</p>
    <template v-else>
      <ChangeList :changes="told.slice(0, 12)" timed />
      <details v-if="told.length > 12">
        <summary>{{ count(told.length - 12, 'more', 'more') }}</summary>
        <ChangeList :changes="told.slice(12)" timed />
      </details>
    </template>
  </section>
</template>

<style scoped>
.what {
  display: grid;
  gap: 0.5rem;
}
.line {
  display: flex;
  flex-wrap: wrap;
  gap: 0.6rem;
  align-items: center;
}
</style>
