<script setup lang="ts">
import { computed, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import type { Feed } from '@/data/api'
import { useFeeds, useReadFeed } from '@/data/queries'
import { count } from '@/logic/dates'
import { hasWords, useMore } from '@/logic/more'
import { isolated } from '@/logic/origin'
import { useReadAll } from '@/logic/reading'
import { readingWords, scheduleWords } from '@/logic/words'
import AddFeed from '@/parts/AddFeed.vue'
import FeedTag from '@/parts/FeedTag.vue'
import StateWord from '@/parts/StateWord.vue'
import TimeAgo from '@/parts/TimeAgo.vue'

const route = useRoute()
const router = useRouter()
const feeds = useFeeds()
const read = useReadFeed()
const adding = ref(false)
const message = ref('')
const reading = useReadAll((id, signal) => read.mutateAsync({ id, signal }))

const all = computed(() => feeds.data.value ?? [])
/** What is looked for stands in the address, so that it can be kept and sent. */
const asked = (name: string) =>
  computed({
    get: () => (typeof route.query[name] === 'string' ? (route.query[name] as string) : ''),
    set: (value) => void router.replace({ query: { ...route.query, [name]: value || undefined } }),
  })
const search = asked('search')
const state = asked('state')
const platform = asked('platform')
const platforms = computed(() => [...new Set(all.value.map((f) => f.platform.name))].sort((a, b) => a.localeCompare(b)))
const states = computed(() => [...new Set(all.value.map((f) => f.state))].sort())
const found = computed(() =>
  all.value.filter(
    (f) =>
      (!state.value || f.state === state.value) &&
      (!platform.value || f.platform.name === platform.value) &&
      hasWords(`${f.name} ${f.platform.name} ${f.address}`, search.value),
  ),
)
const { shown, left, more } = useMore(found, 40)
const narrowed = computed(() => found.value.length < all.value.length)

function refresh(some: Feed[]) {
  message.value = ''
  void reading.start(some.filter((f) => !f.uploaded))
}
</script>

<template>
  <div class="head">
    <h1>Feeds</h1>
    <div class="act">
      <el-button v-if="reading.busy.value" @click="reading.stop">Stop reading</el-button>
      <el-button v-else-if="found.length > 0" @click="refresh(found)">{{
        narrowed ? `Read these ${found.length} now` : 'Read all now'
      }}</el-button>
      <el-button type="primary" @click="adding = true">Subscribe to feeds</el-button>
    </div>
  </div>
  <div v-if="all.length > 5" class="look">
    <el-input v-model="search" clearable placeholder="Name, platform or address" aria-label="Look for feeds" />
    <el-select v-model="state" clearable placeholder="In any state" aria-label="State">
      <el-option v-for="s in states" :key="s" :value="s" :label="s" />
    </el-select>
    <el-select v-model="platform" clearable filterable placeholder="Of any platform" aria-label="Platform">
      <el-option v-for="p in platforms" :key="p" :value="p" :label="p" />
    </el-select>
  </div>
  <div class="message" role="status">
    <p v-if="reading.busy.value">
      {{ reading.done.value }} of {{ count(reading.total.value, 'feed', 'feeds') }} read,
      {{ reading.changed.value }} changed, {{ reading.failed.value.length }} failed …
    </p>
    <p v-else>{{ message || reading.said.value }}</p>
    <p v-for="f in reading.failed.value.slice(0, 8)" :key="f" class="failed">{{ f }}</p>
  </div>
  <p v-if="narrowed" class="soft">{{ count(found.length, 'feed', 'feeds') }} of {{ all.length }}.</p>
  <p v-if="feeds.data.value?.length === 0">
    No feeds yet. In each platform, copy the link of its calendar feed; then press “Subscribe to feeds” and paste it.
  </p>
  <p v-if="feeds.error.value" role="alert">{{ feeds.error.value.message }}</p>
  <ul class="feeds lines">
    <li v-for="f in shown" :key="f.id" class="feed">
      <div class="name">
        <h2>
          <router-link :to="`/feeds/${f.id}`"><FeedTag :color="f.color" :label="f.name" /></router-link>
        </h2>
        <p class="soft small">{{ f.platform.name }} · {{ f.address }}</p>
      </div>
      <p class="standing">
        <StateWord :state="f.state" /> <span class="soft small">since <TimeAgo :at="f.since" /></span>
      </p>
      <dl>
        <div>
          <dt>Last good</dt>
          <dd><TimeAgo :at="f.lastGood" /></dd>
        </div>
        <div>
          <dt>Next</dt>
          <dd><TimeAgo v-if="f.nextDue" :at="f.nextDue" /><template v-else>not again</template></dd>
        </div>
        <div>
          <dt>Read</dt>
          <dd>{{ scheduleWords(f) }}</dd>
        </div>
        <div>
          <dt>Holds</dt>
          <dd>{{ count(f.entries, 'entry', 'entries') }}</dd>
        </div>
      </dl>
      <p v-if="f.lastReading" class="last" :class="f.lastReading.outcome">{{ readingWords(f.lastReading) }}</p>
      <div class="act">
        <el-button
          v-if="!f.uploaded"
          size="small"
          :loading="reading.going.value.has(f.id)"
          :disabled="reading.busy.value"
          @click="refresh([f])"
          >Read now</el-button
        >
      </div>
      <details v-if="f.remarks.length > 0" class="remarks">
        <summary>{{ count(f.remarks.length, 'remark', 'remarks') }} on what it holds</summary>
        <ul>
          <li v-for="r in f.remarks" :key="r">{{ isolated(r) }}</li>
        </ul>
      </details>
    </li>
  </ul>
  <el-button v-if="left > 0" class="more" @click="more">Show more ({{ left }})</el-button>
  <AddFeed v-model="adding" @added="message = $event" />
</template>

<style scoped>
.head {
  display: flex;
  flex-wrap: wrap;
  justify-content: space-between;
  gap: 0.5rem 1rem;
}
.message {
  min-height: 1.4rem;
  color: var(--ink-soft);
}
.message .failed {
  color: var(--alarm);
}
.look {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(min(12rem, 100%), 1fr));
  gap: 0.5rem;
  max-width: 46rem;
  margin: 0.6rem 0;
}
.more {
  margin: 0.8rem 0;
}
.feed {
  grid-template-columns: minmax(14rem, 1.3fr) 8.5rem minmax(20rem, 1fr) minmax(10rem, 0.8fr) auto;
  align-items: start;
}
h2 a {
  color: inherit;
}
dl {
  display: grid;
  grid-template-columns: repeat(4, 1fr);
  gap: 0.5rem;
  margin: 0;
}
dt {
  font-size: var(--size-small);
  color: var(--ink-soft);
}
dd {
  margin: 0;
}
.standing {
  display: grid;
  justify-items: start;
}
.last.failed {
  color: var(--alarm);
}
.last.unchanged {
  color: var(--ink-soft);
}
.remarks {
  grid-column: 1 / -1;
}
.remarks {
  border-left: 4px solid var(--caution);
  background: var(--caution-soft);
  padding: 0.3rem 0.9rem;
}
</style>
