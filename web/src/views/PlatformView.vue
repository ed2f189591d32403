<script setup lang="ts">
import { computed, ref } from 'vue'
import { useRoute } from 'vue-router'
import type { Feed, Habit } from '@/data/api'
import {
  useCalendars,
  useEditFeed,
  useFeeds,
  useForgottenBlocks,
  useHabits,
  usePlatforms,
  usePublications,
} from '@/data/queries'
import { count } from '@/logic/dates'
import { useMore } from '@/logic/more'
import { useProblems } from '@/logic/form'
import FeedTag from '@/parts/FeedTag.vue'
import HabitLine from '@/parts/HabitLine.vue'
import PublicationPickups from '@/parts/PublicationPickups.vue'
import StateWord from '@/parts/StateWord.vue'
import TimeAgo from '@/parts/TimeAgo.vue'

const route = useRoute()
const id = computed(() => Number(route.params.id))
const platforms = usePlatforms()
const feeds = useFeeds()
const publications = usePublications()
const calendars = useCalendars()
const habits = useHabits(id)
const forgotten = useForgottenBlocks()
const platform = computed(() => platforms.data.value?.find((p) => p.id === id.value))
const own = computed(() => (feeds.data.value ?? []).filter((f) => f.platform.id === id.value))
const { shown: ownShown, left: ownLeft, more: ownMore } = useMore(own, 20)
const others = computed(() =>
  (feeds.data.value ?? []).filter((f) => f.platform.id !== id.value).map((f) => ({ value: f.id, label: f.name })),
)
const gets = computed(() => (publications.data.value ?? []).filter((p) => p.platform.id === id.value))
const { shown: getsShown, left: getsLeft, more: getsMore } = useMore(gets, 20)
const few = 2 // publications of which the pickups are shown at once
const opened = ref<number[]>([])
const held = computed(() => (forgotten.data.value ?? []).filter((b) => b.platform?.id === id.value))
const calendarName = (n: number) => calendars.data.value?.find((c) => c.id === n)?.name ?? 'a calendar'
const feedName = (n: number) => feeds.data.value?.find((f) => f.id === n)?.name ?? 'a feed'

/** What is known, by what it is about; several feeds or calendars may have taught the same. */
const topics: { title: string; names: Habit['habit'][] }[] = [
  { title: 'How it writes its sales and its blocks', names: ['form', 'keeps_uids'] },
  { title: 'Whether it shows what it gets, and how late', names: ['reflects', 'delay'] },
  { title: 'What it makes of what it gets', names: ['way'] },
  { title: 'How often it sells', names: ['rate'] },
]
const known = computed(() =>
  topics
    .map((t) => ({ title: t.title, habits: (habits.data.value ?? []).filter((h) => t.names.includes(h.habit)) }))
    .filter((t) => t.habits.length > 0),
)
const where = (h: Habit) => (h.calendar ? `on ${calendarName(h.calendar)}` : '')

/** Whether something else is laid down instead of what was learnt. */
const laidOver = (h: Habit) =>
  !h.setBy && (habits.data.value ?? []).some((o) => o.setBy && o.habit === h.habit && o.of === h.of)

const edit = useEditFeed()
const problems = useProblems()
const chosen = ref<Record<number, number | undefined>>({})
const mirror = (feed: Feed, mirrors: number[]) =>
  problems.attempt(() => edit.mutateAsync({ id: feed.id, body: { revision: feed.revision, mirrors } }))
const add = (feed: Feed, of: number | undefined) =>
  of === undefined ? Promise.resolve(false) : mirror(feed, [...(feed.mirrors ?? []), of])
const drop = (feed: Feed, of: number) =>
  mirror(
    feed,
    (feed.mirrors ?? []).filter((m) => m !== of),
  )
</script>

<template>
  <div v-if="platform && habits.data.value" class="page">
    <p class="soft"><router-link to="/both-ways">Both ways</router-link></p>
    <h1>{{ platform.name }}</h1>
    <p v-if="held.length > 0" class="note">
      It still blocks what is gone:
      <router-link to="/forgotten">{{ count(held.length, 'forgotten block', 'forgotten blocks') }}</router-link>.
    </p>

    <section>
      <h2>What Wharf has learnt of it</h2>
      <p v-if="known.length === 0" class="soft">
        Nothing yet: it is learnt from the first bookings and reflections in its feeds.
      </p>
      <template v-for="t in known" :key="t.title">
        <h3>{{ t.title }}</h3>
        <ul class="habits">
          <HabitLine
            v-for="h in t.habits"
            :key="`${h.habit}${h.of}${h.feed}${h.calendar}${h.since}`"
            :platform="platform.id"
            :habit="h"
            :where="where(h)"
            :superseded="laidOver(h)"
          />
        </ul>
      </template>
    </section>

    <section>
      <h2>What comes in</h2>
      <p v-if="own.length === 0" class="soft">
        No feed of it is read. <router-link to="/feeds">Subscribe to one</router-link>
      </p>
      <div v-for="f in ownShown" :key="f.id" class="feed">
        <p>
          <router-link :to="`/feeds/${f.id}`"><FeedTag :color="f.color" :label="f.name" /></router-link>,
          <StateWord :state="f.state" />, last read <TimeAgo :at="f.lastGood" />
        </p>
        <p v-for="m in f.mirrors ?? []" :key="m">
          It shows what is sold on {{ feedName(m) }}: that counts once.
          <el-button size="small" text @click="drop(f, m)">It does not any more</el-button>
        </p>
        <p v-for="m in f.mayMirror ?? []" :key="`may${m.feed}`" class="note">
          It shows {{ count(m.pairs, 'booking', 'bookings') }} of {{ feedName(m.feed) }} too, though Wharf sent it none.
          Does {{ platform.name }} read that feed?
          <el-button size="small" @click="add(f, m.feed)">Yes: it shows what is sold there</el-button>
        </p>
        <div class="act">
          <el-select-v2
            v-model="chosen[f.id]"
            :options="others"
            placeholder="It reads another feed…"
            aria-label="Feed that it reads"
            clearable
            filterable
          />
          <el-button v-if="chosen[f.id] !== undefined" @click="add(f, chosen[f.id])"
            >It shows what is sold on {{ feedName(chosen[f.id]!) }}</el-button
          >
        </div>
      </div>
      <el-button v-if="ownLeft > 0" size="small" @click="ownMore">Show more ({{ ownLeft }})</el-button>
      <p v-if="problems.rest.value || problems.of('mirrors')" role="alert" class="failed">
        {{ problems.of('mirrors') ?? problems.rest.value }}
      </p>
    </section>

    <section>
      <h2>What goes out to it</h2>
      <p v-if="gets.length === 0" class="soft">
        Nothing: it can sell what is taken elsewhere. <router-link to="/publications">Give back</router-link>
      </p>
      <div v-for="p in getsShown" :key="p.id" class="feed">
        <p>
          <strong>{{ p.name }}</strong>, version {{ p.version }} of {{ calendarName(p.calendar) }},
          <template v-if="p.lastPickup">picked up <TimeAgo :at="p.lastPickup" /></template
          ><template v-else>never picked up</template>
        </p>
        <PublicationPickups v-if="gets.length <= few || opened.includes(p.id)" :publication="p.id" />
        <el-button v-else size="small" class="open" @click="opened.push(p.id)">Pickups</el-button>
      </div>
      <el-button v-if="getsLeft > 0" size="small" @click="getsMore">Show more ({{ getsLeft }})</el-button>
    </section>
  </div>
  <p v-else-if="platforms.data.value && !platform">
    There is no such platform: it may have been removed. <router-link to="/both-ways">Both ways</router-link>
  </p>
  <p v-else-if="habits.error.value" role="alert">{{ habits.error.value.message }}</p>
</template>

<style scoped>
.page,
section {
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 0.7rem;
  max-width: 60rem;
}
.page {
  gap: 1.3rem;
}
h3 {
  margin: 0.4rem 0 0;
  font-size: var(--size-body);
  font-weight: 600;
}
.habits {
  list-style: none;
  margin: 0;
  padding: 0;
}
.feed {
  border-top: 1px solid var(--line);
  padding-top: 0.5rem;
  display: grid;
  gap: 0.4rem;
}
.open,
section > .el-button {
  justify-self: start;
}
.note {
  background: var(--caution-soft);
  border-left: 3px solid var(--caution);
  padding: 0.5rem 0.7rem;
}
.act {
  display: flex;
  flex-wrap: wrap;
  gap: 0.4rem;
}
.act .el-select {
  width: min(18rem, 100%);
}
.failed {
  color: var(--alarm);
}
</style>
