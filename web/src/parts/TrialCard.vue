<script setup lang="ts">
// A link that was looked at: what it gives, and what is to become of it.
import { computed } from 'vue'
import type { Calendar, Schemas } from '@/data/api'
import { count } from '@/logic/dates'
import { isolated } from '@/logic/origin'
import { whenWords } from '@/logic/words'
import ColorSelect from './ColorSelect.vue'
import ScheduleFields from './ScheduleFields.vue'
import { cautions, sentence, previewWhen, previewWords, type Tried } from '@/logic/trials'

const row = defineModel<Tried>({ required: true })
const props = defineProps<{ calendars: Calendar[] }>()
const emit = defineEmits<{ instead: [offer: Schemas['Offer']]; leaveOut: [] }>()

const calendar = computed(() => props.calendars.find((c) => c.id === row.value.calendars[0]))
const choices = computed(() => props.calendars.map((c) => ({ value: c.id, label: c.name })))
const warned = computed(() => (row.value.trial ? cautions(row.value.trial, calendar.value) : []))
</script>

<template>
  <section class="trial" :aria-label="row.trial?.link ?? row.url">
    <div class="top">
      <strong class="link">{{ row.trial?.link ?? row.url }}</strong>
      <el-button size="small" text @click="emit('leaveOut')">Leave it out</el-button>
    </div>
    <p v-if="row.state === 'waiting' || row.state === 'looking'" class="soft">Looking …</p>
    <p v-if="row.failed" role="alert" class="failed">{{ sentence(row.failed) }}</p>
    <template v-if="row.trial">
      <p v-if="row.trial.problem" role="alert" class="failed">{{ isolated(sentence(row.trial.problem)) }}</p>
      <ul v-if="row.trial.offers.length > 0" class="offers">
        <li v-for="o in row.trial.offers" :key="o.link">
          <el-button size="small" @click="emit('instead', o)">{{ isolated(o.name) || o.link }}</el-button>
        </li>
      </ul>
      <template v-if="row.trial.preview">
        <p v-if="row.trial.preview.name" class="soft">It calls itself “{{ isolated(row.trial.preview.name) }}”.</p>
        <p>{{ previewWords(row.trial.preview) }}</p>
        <p v-for="w in warned" :key="w" class="caution">{{ w }}</p>
        <template v-if="row.trial.preview.next.length > 0">
          <p class="soft">The next bookings. Hold them against the platform’s own page:</p>
          <ul class="next">
            <li v-for="(b, i) in row.trial.preview.next" :key="i">
              <strong>{{ isolated(b.title) || 'Untitled' }}</strong> {{ previewWhen(b)
              }}<span class="soft"
                ><template v-if="b.nights > 0">, {{ count(b.nights, 'night', 'nights') }}</template
                ><template v-if="b.tentative">, tentative</template></span
              >
            </li>
          </ul>
        </template>
        <details v-if="row.trial.remarks.length > 0">
          <summary>{{ count(row.trial.remarks.length, 'remark', 'remarks') }} on what it holds</summary>
          <ul>
            <li v-for="r in row.trial.remarks" :key="r">{{ isolated(r) }}</li>
          </ul>
        </details>
        <div class="fields">
          <label
            >Platform
            <el-input v-model="row.platform" list="platforms" placeholder="Where it comes from" />
          </label>
          <label
            >Counts on
            <el-select-v2
              v-model="row.calendars"
              :options="choices"
              multiple
              clearable
              filterable
              placeholder="No calendar yet"
            />
          </label>
          <label
            >Name
            <el-input v-model="row.name" placeholder="The thing and the platform" />
          </label>
        </div>
        <el-radio-group v-if="row.calendars.length > 0" v-model="row.role" aria-label="What it does there">
          <el-radio value="blocks">blocks the dates</el-radio>
          <el-radio value="shows">is only shown</el-radio>
        </el-radio-group>
        <details>
          <summary>
            {{
              row.file
                ? 'Colour, and how it counts'
                : `Read ${whenWords(row.when)}. Change that, its colour, or how it counts`
            }}
          </summary>
          <div class="fields">
            <ScheduleFields v-if="!row.file" v-model="row.when" class="schedule" />
            <label>Colour <ColorSelect v-model="row.color" /></label>
            <label v-if="row.calendars.length > 0"
              >Tentative entries
              <el-select v-model="row.tentative">
                <el-option value="tentative" label="count as tentative" />
                <el-option value="firm" label="count as firm" />
                <el-option value="ignore" label="are left out" />
              </el-select>
            </label>
            <label v-if="calendar && calendar.capacity > 1"
              >Units that each takes
              <el-input-number v-model="row.units" :min="1" :max="calendar.capacity" />
            </label>
          </div>
        </details>
      </template>
    </template>
  </section>
</template>

<style scoped>
.trial {
  border-top: 1px solid var(--line);
  padding: 0.7rem 0;
  display: grid;
  gap: 0.45rem;
}
.top {
  display: flex;
  gap: 0.6rem;
  justify-content: space-between;
  align-items: start;
}
.link {
  overflow-wrap: anywhere;
}
ul {
  margin: 0;
  padding-left: 1.1rem;
}
.offers {
  list-style: none;
  padding: 0;
  display: flex;
  flex-wrap: wrap;
  gap: 0.4rem;
}
.fields {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(min(14rem, 100%), 1fr));
  gap: 0.5rem 0.9rem;
}
.fields label {
  display: grid;
  gap: 0.2rem;
}
.schedule {
  grid-column: 1 / -1;
  margin-bottom: 0;
}
.failed {
  color: var(--alarm);
}
.caution {
  border-left: 3px solid var(--caution);
  padding-left: 0.5rem;
}
</style>
