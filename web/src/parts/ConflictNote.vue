<script setup lang="ts">
import type { Calendar, Conflict } from '@/data/api'
import { lengthWords, spanWords } from '@/logic/layout'
import { kindNames, titleOf } from '@/logic/origin'
import AcknowledgeForm from './AcknowledgeForm.vue'
import FeedTag from './FeedTag.vue'
import TimeAgo from './TimeAgo.vue'

defineProps<{ conflict: Conflict; calendar: Calendar; named?: boolean }>()
</script>

<template>
  <section class="conflict" :class="[conflict.state, conflict.kind]" :aria-label="conflict.kind.replace('_', ' ')">
    <h2>
      <router-link :to="`/conflicts/${conflict.id}`"
        >{{ kindNames[conflict.kind] }}: <template v-if="named">{{ calendar.name }}, </template
        >{{ spanWords(conflict.start, conflict.end, calendar) }}</router-link
      >
      <span v-if="conflict.state === 'acknowledged'" class="soft small">
        acknowledged by {{ conflict.acknowledgedBy }}</span
      >
    </h2>
    <ul>
      <li v-for="b in conflict.bookings" :key="b.id">
        <strong>{{ titleOf(b) }}</strong>
        {{ spanWords(b.start, b.end, calendar) }} ({{ lengthWords(b.start, b.end, calendar)
        }}<template v-if="b.units > 1">, {{ b.units }} units</template>), <FeedTag :color="b.color" :label="b.label" />,
        <span class="soft"
          ><template v-if="b.tentative">tentative, </template>first seen <TimeAgo :at="b.seenBy"
        /></span>
      </li>
    </ul>
    <p v-if="conflict.note" class="soft">“{{ conflict.note }}”</p>
    <AcknowledgeForm v-if="conflict.state === 'open'" :conflict="conflict.id" />
  </section>
</template>

<style scoped>
.conflict {
  border-left: 4px solid var(--alarm);
  background: var(--alarm-soft);
  padding: 0.6rem 0.9rem;
  display: grid;
  gap: 0.35rem;
}
.conflict.unclear,
.conflict.tentative_clash {
  border-color: var(--caution);
  background: var(--caution-soft);
}
.conflict.acknowledged {
  background: none;
}
h2 a {
  color: inherit;
}
ul {
  margin: 0;
  padding-left: 1.1rem;
}
</style>
