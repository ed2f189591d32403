<script setup lang="ts">
import { computed, nextTick, ref } from 'vue'
import type { Booking, Calendar, Feed } from '@/data/api'
import { tries, useCalendars, useDecideHeld, useHeld } from '@/data/queries'
import { useGiving } from '@/logic/answers'
import { count } from '@/logic/dates'
import { lengthWords, spanWords } from '@/logic/layout'
import { titleOf } from '@/logic/origin'
import { takenBy, takenWords } from '@/logic/today'
import GivingBox from './GivingBox.vue'
import TimeAgo from './TimeAgo.vue'

const props = defineProps<{ feed: Feed }>()
const held = useHeld(computed(() => props.feed.id))
const calendars = useCalendars()
const decide = useDecideHeld()
const deciding = useGiving(tries.held, decide.mutateAsync)
const box = ref<HTMLElement>()
const most = 12
const all = computed(() => held.data.value ?? [])
const waiting = computed(() => all.value.filter((b) => b.held?.why === 'lost'))
const asked = computed(() => (waiting.value.length > 0 ? waiting.value : all.value))
const shown = computed(() => asked.value.slice(0, most))
const taken = computed(() => takenWords(takenBy(asked.value, calendars.data.value ?? [])))
const calendarOf = (b: Booking): Calendar | undefined => calendars.data.value?.find((c) => c.id === b.calendar)

async function say(says: 'let_go' | 'keep') {
  await deciding.begin({ feed: props.feed.id, body: { says, bookings: asked.value.map((b) => b.id) } })
  await nextTick()
  box.value?.querySelector<HTMLElement>('.keep')?.focus()
}
</script>

<template>
  <section v-if="asked.length > 0 && calendars.data.value" ref="box" class="held" aria-label="Held back">
    <h2>
      {{ count(asked.length, 'booking is', 'bookings are') }} missing from this feed, and
      {{ asked.length === 1 ? 'stands' : 'stand' }} all the same
    </h2>
    <p v-if="waiting.length > 0">
      It suddenly shows much less than it did<template v-if="feed.entries === 0">: nothing at all</template>. So
      {{ taken }} stay taken here and on every platform until you say what is true, or until further readings agree.
      What is new in the feed counts already.
    </p>
    <p v-else>{{ asked[0]!.held!.sentence }}</p>
    <ul>
      <li v-for="b in shown" :key="b.id">
        <strong
          ><bdi>{{ titleOf(b) }}</bdi></strong
        >
        <template v-if="calendarOf(b)">
          · {{ calendarOf(b)!.name }}, {{ spanWords(b.start, b.end, calendarOf(b)!) }}
          <span class="soft">{{ lengthWords(b.start, b.end, calendarOf(b)!) }}</span></template
        >
        <span class="soft">, missing since <TimeAgo :at="b.held!.since" /></span>
      </li>
      <li v-if="asked.length > most">and {{ asked.length - most }} more</li>
    </ul>
    <GivingBox
      v-if="deciding.giving.value"
      :effects="deciding.giving.value.effects"
      :word="deciding.giving.value.body.body.says === 'keep' ? 'Keep them' : 'Let them go'"
      :busy="deciding.busy.value"
      @keep="deciding.keep"
      @leave="deciding.leave"
    >
      <p v-if="deciding.giving.value.body.body.says === 'keep'">
        You say: they are sold, and the feed is wrong. They stand until the feed shows them again, or you let them go.
      </p>
      <p v-else>You say: they are cancelled. Their time is free from now on.</p>
    </GivingBox>
    <div v-else class="act">
      <el-button type="primary" :loading="deciding.busy.value" @click="say('keep')">They are sold: keep them</el-button>
      <el-button :loading="deciding.busy.value" @click="say('let_go')">They are cancelled: let them go</el-button>
    </div>
    <p v-if="deciding.error.value" role="alert" class="failed">{{ deciding.error.value }}</p>
  </section>
</template>

<style scoped>
.held {
  border-left: 4px solid var(--caution);
  background: var(--caution-soft);
  padding: 0.6rem 0.9rem;
  display: grid;
  gap: 0.5rem;
}
ul {
  margin: 0;
  padding-left: 1.1rem;
}
.act {
  display: flex;
  flex-wrap: wrap;
  gap: 0.4rem;
}
.act .el-button + .el-button {
  margin-left: 0;
}
.failed {
  color: var(--alarm);
}
</style>
