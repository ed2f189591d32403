<script setup lang="ts">
// What readings changed, booking by booking.
import type { BookingChange } from '@/data/api'
import { addDays, shortDay } from '@/logic/dates'
import { counts, isolated } from '@/logic/origin'
import TimeAgo from './TimeAgo.vue'

defineProps<{ changes: BookingChange[]; timed?: boolean }>()

const words = { added: 'New', changed: 'Changed', removed: 'Gone', passed: 'Over', with_the_feed: 'At first' }
type Shown = NonNullable<BookingChange['was']>

function when(s: Shown) {
  const [from, to] = [s.start, s.end]
  if (from.length > 10)
    return `${shortDay(from.slice(0, 10))} ${from.slice(11, 16)} – ${shortDay(to.slice(0, 10))} ${to.slice(11, 16)}`
  const last = addDays(to, -1)
  return last > from ? `${shortDay(from)} – ${shortDay(last)}` : shortDay(from)
}
const title = (s: Shown) => isolated(s.title) || 'Untitled'
/** What of it is another, in words. */
function said(c: BookingChange) {
  const { was, became } = c
  if (!was || !became) return ''
  const parts = []
  if (was.title !== became.title) parts.push(`was “${title(was)}”`)
  if (was.start !== became.start || was.end !== became.end) parts.push(`was ${when(was)}`)
  if (was.status !== became.status) parts.push(`was ${was.status ?? 'firm'}, is ${became.status ?? 'firm'}`)
  return parts.join(', ')
}
</script>

<template>
  <ul class="changes">
    <li v-for="(c, i) in changes" :key="i" :class="c.kind">
      <span class="kind">{{ words[c.kind] }}</span>
      <span>
        <template v-if="c.became ?? c.was">
          <strong>{{ title((c.became ?? c.was)!) }}</strong> {{ when((c.became ?? c.was)!) }}</template
        ><span v-if="said(c)">; {{ said(c) }}</span
        ><span v-if="!counts(c.booking)" class="soft"> (an echo)</span>
        <span class="soft">
          · {{ c.booking.label }}<template v-if="timed">, <TimeAgo :at="c.at" /></template
        ></span>
      </span>
    </li>
  </ul>
</template>

<style scoped>
.changes {
  list-style: none;
  margin: 0;
  padding: 0;
  display: grid;
  gap: 0.35rem;
}
li {
  display: grid;
  grid-template-columns: 5.5rem 1fr;
  gap: 0.5rem;
}
.kind {
  font-weight: 600;
}
.removed .kind {
  color: var(--caution);
}
.added .kind {
  color: var(--calm);
}
</style>
