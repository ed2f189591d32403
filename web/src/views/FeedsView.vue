<script setup lang="ts">
import { ref } from 'vue'
import type { Feed } from '@/data/api'
import { useFeeds, useReadFeed } from '@/data/queries'
import { count } from '@/logic/dates'
import { isolated } from '@/logic/origin'
import { readingWords, scheduleWords } from '@/logic/words'
import AddFeed from '@/parts/AddFeed.vue'
import FeedTag from '@/parts/FeedTag.vue'
import StateWord from '@/parts/StateWord.vue'
import TimeAgo from '@/parts/TimeAgo.vue'

const feeds = useFeeds()
const read = useReadFeed()
const adding = ref(false)
const reading = ref(new Set<number>())
const message = ref('')

async function refresh(some: Feed[]) {
  message.value = ''
  const results = await Promise.all(
    some.map(async (f) => {
      reading.value.add(f.id)
      try {
        return `${f.name}: ${readingWords(await read.mutateAsync(f.id))}.`
      } catch (e) {
        return `${f.name}: ${e instanceof Error ? e.message : String(e)}`
      } finally {
        reading.value.delete(f.id)
      }
    }),
  )
  message.value = results.join(' ')
}
</script>

<template>
  <div class="head">
    <h1>Feeds</h1>
    <div class="act">
      <el-button v-if="feeds.data.value?.length" @click="refresh(feeds.data.value ?? [])">Read all now</el-button>
      <el-button type="primary" @click="adding = true">Subscribe to feeds</el-button>
    </div>
  </div>
  <p class="message" role="status">{{ message }}</p>
  <p v-if="feeds.data.value?.length === 0">
    No feeds yet. In each platform, copy the link of its calendar feed; then press “Subscribe to feeds” and paste it.
  </p>
  <p v-if="feeds.error.value" role="alert">{{ feeds.error.value.message }}</p>
  <ul class="feeds lines">
    <li v-for="f in feeds.data.value ?? []" :key="f.id" class="feed">
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
        <el-button size="small" :loading="reading.has(f.id)" @click="refresh([f])">Read now</el-button>
      </div>
      <details v-if="f.remarks.length > 0" class="remarks">
        <summary>{{ count(f.remarks.length, 'remark', 'remarks') }} on what it holds</summary>
        <ul>
          <li v-for="r in f.remarks" :key="r">{{ isolated(r) }}</li>
        </ul>
      </details>
    </li>
  </ul>
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
