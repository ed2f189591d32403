<script setup lang="ts">
import { computed, ref } from 'vue'
import type { Booking, Calendar, Conflict } from '@/data/api'
import { addDays, dayName } from '@/logic/dates'
import { lengthWords, stretch } from '@/logic/layout'
import { colorOf, counts, titleOf } from '@/logic/origin'

const props = defineProps<{
  calendars: Calendar[]
  from: string
  to: string
  today: string
  bookings: Booking[]
  conflicts: Conflict[]
}>()
const emit = defineEmits<{ choose: [booking: Booking] }>()

const byID = computed(() => new Map(props.calendars.map((c) => [c.id, c])))

/** What there is on each day, laid out once by the days it covers. */
const days = computed(() => {
  const bookings = new Map<string, { booking: Booking; calendar: Calendar; clock: string }[]>()
  const conflicts = new Map<string, Conflict[]>()
  const spread = <T,>(
    into: Map<string, T[]>,
    item: { start: string; end: string; calendar: number },
    make: (c: Calendar, clock: string) => T,
  ) => {
    const calendar = byID.value.get(item.calendar)
    if (!calendar) return
    const s = stretch(item.start, item.end, calendar)
    for (let day = s.first < props.from ? props.from : s.first; day < s.last && day < props.to; day = addDays(day, 1)) {
      into.set(day, [...(into.get(day) ?? []), make(calendar, s.clock)])
    }
  }
  for (const booking of props.bookings) spread(bookings, booking, (calendar, clock) => ({ booking, calendar, clock }))
  for (const conflict of props.conflicts) spread(conflicts, conflict, () => conflict)
  return [...bookings.keys()].sort().map((day) => ({
    day,
    bookings: (bookings.get(day) ?? []).sort(
      (a, b) => a.calendar.name.localeCompare(b.calendar.name) || a.booking.start.localeCompare(b.booking.start),
    ),
    conflicts: conflicts.get(day) ?? [],
  }))
})

/** The first of them are drawn: there may be very many. */
const step = 60
const limit = ref(step)
const total = computed(() => days.value.reduce((n, d) => n + d.bookings.length, 0))
const drawn = computed(() => {
  let left = limit.value
  return days.value.flatMap((d) => {
    if (left <= 0) return []
    const bookings = d.bookings.slice(0, left)
    left -= bookings.length
    return [{ ...d, bookings }]
  })
})

const clashing = (booking: Booking, conflicts: Conflict[]) =>
  conflicts.some((c) => c.bookings.some((b) => b.id === booking.id))
</script>

<template>
  <ol class="agenda">
    <li v-for="{ day, bookings: some, conflicts: clashes } in drawn" :key="day">
      <h2>{{ dayName(day) }}<span v-if="day === today" class="word"> today</span></h2>
      <router-link v-for="c in clashes" :key="c.id" :to="`/conflicts/${c.id}`" class="clash" :class="c.kind">
        {{ c.kind.replace('_', ' ') }}, {{ c.calendarName }}
      </router-link>
      <button
        v-for="{ booking: b, calendar, clock } in some"
        :key="b.id"
        type="button"
        class="booking"
        :class="{ echo: !counts(b), tentative: b.tentative, clashing: clashing(b, clashes) }"
        :style="{ '--feed': colorOf(b.color) }"
        @click="emit('choose', b)"
      >
        <span>
          <strong>{{ titleOf(b) }}</strong><template v-if="clock">{{ ' ' + clock }}</template>
        </span>
        <span class="soft small">
          <template v-if="calendars.length > 1">{{ calendar.name }} · </template>{{ b.label }},
          {{ lengthWords(b.start, b.end, calendar) }}<template v-if="b.start === day">, begins</template
          ><template v-if="b.verdict === 'echo'">, echo</template><template v-if="b.tentative">, tentative</template
          ><template v-if="!b.blocks">, shown only</template
          ><template v-if="b.unfresh">, its feed is {{ b.unfresh.state }}</template>
        </span>
      </button>
    </li>
    <li v-if="days.length === 0" class="soft">Nothing is booked in these weeks.</li>
  </ol>
  <el-button v-if="total > limit" class="more" @click="limit += step">Show more of these days</el-button>
</template>

<style scoped>
.agenda {
  list-style: none;
  margin: 0;
  padding: 0;
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 0.9rem;
}
h2 {
  font-size: var(--size-body);
  border-bottom: 1px solid var(--line);
  padding-bottom: 0.15rem;
  margin-bottom: 0.35rem;
}
.more {
  margin-top: 0.6rem;
  width: 100%;
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
.booking.clashing {
  outline: 2px solid var(--alarm);
  outline-offset: -1px;
}
.clash {
  display: inline-block;
  font-weight: 600;
  color: var(--bar-ink);
  background: var(--alarm);
  border-radius: 3px;
  padding: 0.15rem 0.6rem;
  margin-bottom: 0.35rem;
  text-decoration: none;
}
.clash.unclear,
.clash.tentative_clash {
  background: var(--caution);
}
</style>
