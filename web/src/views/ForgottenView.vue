<script setup lang="ts">
import { computed } from 'vue'
import type { Booking, Calendar } from '@/data/api'
import { useCalendars, useForgottenBlocks } from '@/data/queries'
import { lengthWords, spanWords } from '@/logic/layout'
import { takenBy, takenWords } from '@/logic/today'
import AnswerForm from '@/parts/AnswerForm.vue'
import TimeAgo from '@/parts/TimeAgo.vue'
import { titleOf } from '@/logic/origin'

const blocks = useForgottenBlocks()
const calendars = useCalendars()
const calendarOf = (b: Booking): Calendar | undefined => calendars.data.value?.find((c) => c.id === b.calendar)
const platforms = computed(() => {
  const by = new Map<string, Booking[]>()
  for (const b of (blocks.data.value ?? []).filter(calendarOf)) {
    const name = b.platform?.name ?? b.label
    by.set(name, [...(by.get(name) ?? []), b])
  }
  return [...by]
})
</script>

<template>
  <div v-if="blocks.data.value && calendars.data.value" class="page">
    <h1>Forgotten blocks</h1>
    <p v-if="platforms.length === 0" class="calm">No platform holds anything that is gone.</p>
    <p v-else class="lead">
      These platforms still block what was cancelled elsewhere, though they have picked up that it is gone. They sell
      nothing there: {{ takenWords(takenBy(blocks.data.value, calendars.data.value)) }} lost for sale.
    </p>
    <section v-for="[platform, held] in platforms" :key="platform">
      <h2>{{ platform }}</h2>
      <p>
        Remove {{ held.length === 1 ? 'this block' : 'these blocks' }} there by hand, or have it import the Wharf link
        anew. If one is a sale after all, say so: then it counts as one.
      </p>
      <ul class="blocks">
        <li v-for="b in held" :key="b.id">
          <h3>
            {{ titleOf(b) }}
          </h3>
          <p>
            {{ calendarOf(b)!.name }}, {{ spanWords(b.start, b.end, calendarOf(b)!) }}
            <span class="soft"
              >{{ lengthWords(b.start, b.end, calendarOf(b)!) }}, seen since <TimeAgo :at="b.seenBy"
            /></span>
          </p>
          <p class="soft">{{ b.evidence }}</p>
          <AnswerForm :booking="b" />
        </li>
      </ul>
    </section>
  </div>
  <p v-else-if="blocks.error.value" role="alert">{{ blocks.error.value.message }}</p>
</template>

<style scoped>
.page {
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 1rem;
  max-width: 60rem;
}
.lead {
  font-size: var(--size-lead);
}
.calm {
  color: var(--calm);
}
.blocks {
  list-style: none;
  margin: 0.6rem 0 0;
  padding: 0;
  display: grid;
  gap: 0.8rem;
}
.blocks li {
  border-top: 1px solid var(--line);
  padding-top: 0.5rem;
  display: grid;
  gap: 0.4rem;
}
h3 {
  margin: 0;
  font-size: var(--size-body);
}
</style>
