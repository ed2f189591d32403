<script setup lang="ts">
// How many reminders are due, at the link to the page that shows them; the browser tells of each, where it may.
import CountBadge from './CountBadge.vue'
import { watch } from 'vue'
import { useLocalStorage } from '@vueuse/core'
import { spanWords } from '@/logic/layout'
import { titleOf } from '@/logic/origin'
import { keyOf, untold, useDueReminders } from '@/logic/reminder'

const due = useDueReminders()
const told = useLocalStorage<string[]>('reminders told', [])
watch(
  () => due.value?.map(keyOf).join(),
  () => {
    const all = due.value
    if (!all) return
    const now = untold(all, told.value)
    told.value = now.told
    if (!('Notification' in window) || Notification.permission !== 'granted') return
    for (const r of now.fresh) {
      new Notification(titleOf(r), { body: `${r.calendar.name}, ${spanWords(r.start, r.end, r)}`, tag: keyOf(r) })
    }
  },
)
</script>

<template>
  <CountBadge :n="due?.length ?? 0" word="due" tone="caution" />
</template>
