<script setup lang="ts">
import { computed } from 'vue'
import type { Booking, Calendar, Conflict } from '@/data/api'
import { addDays, dayName } from '@/logic/dates'
import { lengthWords, stretch } from '@/logic/layout'

const props = defineProps<{
  calendar: Calendar
  month: string // the month that is shown, or '' for the weeks from now on
  from: string
  to: string
  today: string
  bookings: Booking[]
  conflicts: Conflict[]
}>()
const emit = defineEmits<{ choose: [booking: Booking]; conflict: [conflict: Conflict] }>()

const covers = (item: { start: string; end: string }, day: string) => {
  const s = stretch(item.start, item.end, props.calendar)
  return s.first <= day && day < s.last
}

/** The days on which there is anything: those of the month, or from today on. */
const days = computed(() => {
  const first = props.month || props.today
  const all = []
  for (let day = first; day < props.to; day = addDays(day, 1)) {
    const bookings = props.bookings.filter((b) => covers(b, day))
    const conflicts = props.conflicts.filter((c) => covers(c, day))
    if (bookings.length > 0) all.push({ day, bookings, conflicts })
  }
  return all
})
</script>

<template>
  <ol class="agenda">
    <li
      v-for="{ day, bookings: some, conflicts: clashes } in days"
      :key="day"
      :class="{ clashing: clashes.length > 0 }"
    >
      <h2>{{ dayName(day) }}<span v-if="day === today" class="word"> today</span></h2>
      <button v-for="c in clashes" :key="c.id" type="button" class="clash" @click="emit('conflict', c)">
        {{ c.kind.replace('_', ' ') }}
      </button>
      <button
        v-for="b in some"
        :key="b.id"
        type="button"
        class="booking"
        :class="{ echo: b.verdict !== 'booking', tentative: b.tentative }"
        :style="{ '--feed': `var(--feed-${b.color})` }"
        @click="emit('choose', b)"
      >
        <strong>{{ b.title || 'Untitled' }}</strong>
        <span class="soft small">
          {{ b.label }}, {{ lengthWords(b.start, b.end, calendar) }}<template v-if="b.start === day">, begins</template
          ><template v-if="b.verdict === 'echo'">, echo</template><template v-if="b.tentative">, tentative</template>
        </span>
      </button>
    </li>
    <li v-if="days.length === 0" class="soft">Nothing is booked in these weeks.</li>
  </ol>
</template>

<style scoped>
.agenda {
  list-style: none;
  margin: 0;
  padding: 0;
  display: grid;
  gap: 0.9rem;
}
h2 {
  font-size: var(--size-body);
  border-bottom: 1px solid var(--line);
  padding-bottom: 0.15rem;
  margin-bottom: 0.35rem;
}
.word {
  color: var(--water);
  font-weight: 400;
}
.booking {
  display: grid;
  width: 100%;
  text-align: left;
  font: inherit;
  color: inherit;
  background: var(--paper-raised);
  border: 1px solid var(--line);
  box-shadow: inset 0.45rem 0 0 var(--feed);
  padding: 0.35rem 0.6rem 0.35rem 1rem;
  margin-bottom: 0.3rem;
  cursor: pointer;
}
.booking.echo {
  border: 1px dashed var(--feed);
  box-shadow: none;
  background: none;
}
.booking.tentative {
  border-style: dashed;
}
.clash {
  font: inherit;
  font-weight: 600;
  color: var(--bar-ink);
  background: var(--alarm);
  border: 0;
  border-radius: 3px;
  padding: 0.15rem 0.6rem;
  margin-bottom: 0.35rem;
  cursor: pointer;
}
.clashing .booking:not(.echo) {
  outline: 2px solid var(--alarm);
  outline-offset: -1px;
}
</style>
