<script setup lang="ts">
import { ref } from 'vue'
import type { Calendar, Conflict } from '@/data/api'
import { useAcknowledge } from '@/data/queries'
import { lengthWords, spanWords } from '@/logic/layout'
import FeedTag from './FeedTag.vue'
import TimeAgo from './TimeAgo.vue'

const props = defineProps<{ conflict: Conflict; calendar: Calendar }>()
const emit = defineEmits<{ show: [day: string] }>()
const acknowledge = useAcknowledge()
const note = ref('')
const asking = ref(false)

async function send() {
  await acknowledge.mutateAsync({ id: props.conflict.id, note: note.value })
  asking.value = false
}
</script>

<template>
  <section class="conflict" :class="[conflict.state, conflict.kind]" :aria-label="conflict.kind.replace('_', ' ')">
    <h2>
      {{ conflict.kind === 'double_booking' ? 'Double booking' : 'Tentative clash' }}:
      <button type="button" class="day" @click="emit('show', conflict.start.slice(0, 10))">
        {{ spanWords(conflict.start, conflict.end, calendar) }}
      </button>
      <span v-if="conflict.state === 'acknowledged'" class="soft small">
        acknowledged by {{ conflict.acknowledgedBy }}</span
      >
    </h2>
    <ul>
      <li v-for="b in conflict.bookings" :key="b.id">
        <strong>{{ b.title || 'Untitled' }}</strong>
        {{ spanWords(b.start, b.end, calendar) }} ({{ lengthWords(b.start, b.end, calendar) }}),
        <FeedTag :color="b.color" :label="b.label" />,
        <span class="soft">first seen <TimeAgo :at="b.seenBy" /></span>
      </li>
    </ul>
    <p v-if="conflict.note" class="soft">“{{ conflict.note }}”</p>
    <div v-if="conflict.state === 'open'" class="act">
      <template v-if="asking">
        <el-input
          v-model="note"
          placeholder="What is being done? (may stay empty)"
          aria-label="Note"
          @keyup.enter="send"
        />
        <el-button type="primary" :loading="acknowledge.isPending.value" @click="send">Acknowledge</el-button>
        <el-button text @click="asking = false">Not now</el-button>
      </template>
      <el-button v-else size="small" @click="asking = true">I am dealing with it</el-button>
    </div>
    <p v-if="acknowledge.error.value" role="alert" class="failed">{{ acknowledge.error.value.message }}</p>
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
.conflict.tentative_clash {
  border-color: var(--caution);
  background: var(--caution-soft);
}
.conflict.acknowledged {
  background: none;
}
.day {
  font: inherit;
  color: inherit;
  background: none;
  border: 0;
  padding: 0;
  text-decoration: underline;
  cursor: pointer;
}
ul {
  margin: 0;
  padding-left: 1.1rem;
}
.act {
  display: flex;
  flex-wrap: wrap;
  gap: 0.5rem;
  max-width: 40rem;
}
.act .el-input {
  flex: 1 1 14rem;
}
.failed {
  color: var(--alarm);
}
</style>
