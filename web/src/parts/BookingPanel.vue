<script setup lang="ts">
import { computed } from 'vue'
import type { Booking, Calendar } from '@/data/api'
import { useBookingLife } from '@/data/queries'
import { lengthWords, spanWords } from '@/logic/layout'
import AnswerForm from './AnswerForm.vue'
import ChangeList from './ChangeList.vue'
import FeedTag from './FeedTag.vue'
import HoldActions from './HoldActions.vue'
import ReminderBox from './ReminderBox.vue'
import StateWord from './StateWord.vue'
import TimeAgo from './TimeAgo.vue'
import { isolated, titleOf } from '@/logic/origin'

const props = defineProps<{ booking: Booking | null; calendar: Calendar }>()
const emit = defineEmits<{ close: [] }>()
const open = computed({ get: () => props.booking !== null, set: () => emit('close') })

const life = useBookingLife(
  computed(() => props.booking?.id ?? 0),
  computed(() => props.booking !== null),
)
const asked = computed(() => {
  const b = props.booking
  return b && (b.answer || b.verdict === 'unclear' || b.verdict === 'stale')
})
const remindable = computed(() => props.booking && !['expired', 'rejected', 'echo'].includes(props.booking.verdict))
/** As it is now: an answer that is given here changes it. */
const now = computed(() => (life.data.value?.booking.id === props.booking?.id ? life.data.value?.booking : undefined))

const notices: Record<string, string> = {
  'blocks-no-night': 'It has times on one day and so blocks no night. If it should, enter it with whole days.',
  'lasts-nothing': 'It has neither an end nor a duration.',
  'dates-differ': 'Two platforms send it with different dates. Ask them which are right.',
  'looks-like-dates': 'Its times look like dates (midnight to midnight, UTC).',
}
</script>

<template>
  <el-drawer v-model="open" size="min(26rem, 100%)" :with-header="true" :title="booking ? titleOf(booking) : ''">
    <div v-if="booking" class="panel">
      <p class="span">
        {{ spanWords(booking.start, booking.end, calendar) }}
        <span class="soft">{{ lengthWords(booking.start, booking.end, calendar) }}</span>
      </p>
      <p class="feed">
        <FeedTag :color="booking.color" :label="booking.label" />
        <span class="soft">({{ booking.platform?.name ?? 'entered here, in no feed' }})</span>
      </p>
      <p v-if="booking.unfresh" class="note">
        <StateWord :state="booking.unfresh.state" /> since <TimeAgo :at="booking.unfresh.since" />:
        {{ isolated(booking.unfresh.why) }}. What is shown of this feed may be out of date.
      </p>
      <p v-if="booking.verdict === 'echo'" class="note">
        <strong>An echo: it counts for nothing.</strong> {{ booking.evidence }}
      </p>
      <p v-else-if="booking.verdict === 'one_with'" class="note">{{ booking.evidence }}</p>
      <p v-else-if="booking.verdict === 'unclear'" class="note">
        <strong>It may be an echo; until that is known, it blocks.</strong> {{ booking.evidence }}
      </p>
      <p v-else-if="booking.verdict === 'stale'" class="note">
        <strong>It reflects what is gone: a block that was forgotten, or a sale after all. It blocks.</strong>
        {{ booking.evidence }}
      </p>
      <p v-else-if="booking.verdict === 'rejected'" class="note">
        <strong>Somebody rejected it: it counts for nothing until its feed says something else.</strong>
        <router-link to="/review">Look again</router-link>
      </p>
      <p v-else-if="booking.verdict === 'expired'" class="note">It has ended by itself: it counts no more.</p>
      <p v-else>
        {{ booking.tentative ? 'Tentative' : 'Firm' }}, {{ booking.blocks ? 'blocks' : 'shown only' }}.
        {{ booking.evidence }}
      </p>
      <p v-if="booking.review === 'waiting'" class="note">
        It blocks, and waits to be looked at. <router-link to="/review">Look at it</router-link>
      </p>
      <p v-if="booking.held" class="note">
        {{ booking.held.sentence }} <router-link :to="`/feeds/${booking.feed}`">Look at the feed</router-link>
      </p>
      <HoldActions
        v-if="booking.hold"
        :id="booking.hold"
        :booking="booking"
        :calendar="calendar"
        @gone="emit('close')"
      />
      <ReminderBox v-if="remindable" :booking="booking" :calendar="calendar" />
      <AnswerForm v-if="asked" :booking="now ?? booking" />
      <p v-if="life.data.value?.original" class="soft">
        Its original: {{ titleOf(life.data.value.original) }}, {{ life.data.value.original.label }},
        {{ spanWords(life.data.value.original.start, life.data.value.original.end, calendar) }}.
      </p>
      <p v-for="n in booking.notices ?? []" :key="n" class="note">{{ notices[n] ?? n }}</p>
      <dl>
        <template v-if="booking.feed === undefined">
          <dt>Entered</dt>
          <dd><TimeAgo :at="booking.seenBy" /></dd>
        </template>
        <template v-else>
          <dt>Made, says the platform</dt>
          <dd><TimeAgo v-if="booking.created" :at="booking.created" /><span v-else>it does not say</span></dd>
          <dt>Last reading without it</dt>
          <dd>
            <TimeAgo v-if="booking.notBefore" :at="booking.notBefore" /><span v-else
              >none: it was there from the first</span
            >
          </dd>
          <dt>First seen</dt>
          <dd><TimeAgo :at="booking.seenBy" /></dd>
          <template v-if="life.data.value?.lastSeen && now">
            <dt>Last seen</dt>
            <dd><TimeAgo :at="life.data.value.lastSeen" /></dd>
          </template>
          <template v-if="booking.categories">
            <dt>Categories</dt>
            <dd>{{ isolated(booking.categories.join(', ')) }}</dd>
          </template>
          <template v-if="booking.class && booking.class !== 'PUBLIC'">
            <dt>Who may see it</dt>
            <dd>{{ booking.class.toLowerCase() }}</dd>
          </template>
          <dt>UID</dt>
          <dd class="uid small">{{ booking.uid || 'none' }}</dd>
        </template>
      </dl>
      <section v-if="now && (life.data.value?.changes.length ?? 0) > 1" aria-label="What changed">
        <h3>What changed</h3>
        <ChangeList :changes="life.data.value?.changes ?? []" timed />
      </section>
      <section v-if="life.data.value?.travels.length" aria-label="Where it went">
        <h3>Where it went</h3>
        <ul class="travels">
          <li v-for="t in life.data.value.travels" :key="t.publication">
            <router-link :to="`/platforms/${t.platform.id}`">{{ t.platform.name }}</router-link> was told
            <TimeAgo :at="t.published" />, and
            <template v-if="t.pickedUp">picked it up <TimeAgo :at="t.pickedUp" /></template
            ><template v-else>has not picked that up yet</template
            ><template v-if="t.withdrawn">; it was taken out <TimeAgo :at="t.withdrawn" /></template>.
            <template v-for="a in t.again ?? []" :key="a.id"
              >It was seen there again <TimeAgo :at="a.seenBy" />, as {{ titleOf(a) }}.
            </template>
          </li>
        </ul>
      </section>
      <details v-if="life.data.value?.source && now" class="source">
        <summary>The text of its entry, as the feed has it</summary>
        <pre dir="ltr" tabindex="0" aria-label="The text of its entry">{{ life.data.value.source }}</pre>
      </details>
    </div>
  </el-drawer>
</template>

<style scoped>
.panel {
  display: grid;
  gap: 0.9rem;
}
.span {
  font-size: var(--size-title);
  font-weight: 620;
}
.span .soft {
  font-size: var(--size-lead);
  font-weight: 400;
}
.feed {
  display: flex;
  flex-wrap: wrap;
  gap: 0 0.35em;
}
.source pre {
  overflow: auto;
  max-height: 20rem;
  background: var(--paper-sunk);
  padding: 0.6rem;
  font-size: var(--size-small);
}
.note {
  background: var(--caution-soft);
  border-left: 3px solid var(--caution);
  padding: 0.5rem 0.7rem;
}
dl {
  display: grid;
  grid-template-columns: auto 1fr;
  gap: 0.35rem 1rem;
  margin: 0;
}
dt {
  color: var(--ink-soft);
}
dd {
  margin: 0;
}
h3 {
  margin: 0 0 0.3rem;
  font-size: var(--size-body);
}
.travels {
  margin: 0;
  padding-left: 1.1rem;
  display: grid;
  gap: 0.3rem;
}
.uid {
  overflow-wrap: anywhere;
}
</style>
