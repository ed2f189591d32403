<script setup lang="ts">
// Which entries of a feed count on a calendar, and how many units each takes: tried before it is saved.
import { computed, ref } from 'vue'
import type { Calendar, Schemas } from '@/data/api'
import { useTryFilter } from '@/data/queries'
import { count } from '@/logic/dates'
import { filterOf, properties, ways, written } from '@/logic/filter'
import { useProblems } from '@/logic/form'
import { isolated } from '@/logic/origin'

const props = defineProps<{ calendar: Calendar; link: Schemas['Link'] }>()
const emit = defineEmits<{ save: [what: { filter: string; counting: string }] }>()

const look = useTryFilter()
const problems = useProblems()
const open = ref(false)
const form = ref(filterOf(''))
const counting = ref('')
const tried = ref<{ as: string; sorting: Schemas['Sorting'] } | null>(null)
const what = computed(() => ({ filter: written(form.value), counting: counting.value.trim() }))
const as = computed(() => JSON.stringify(what.value))

function begin() {
  problems.clear()
  form.value = filterOf(props.link.filter)
  counting.value = props.link.counting
  tried.value = null
  open.value = true
}

async function tryIt() {
  const now = as.value
  await problems.attempt(async () => {
    const sorting = await look.mutateAsync({ id: props.calendar.id, feed: props.link.feed, ...what.value })
    tried.value = { as: now, sorting }
  })
}

function save() {
  emit('save', what.value)
  open.value = false
}

const where = (e: Schemas['SortedEntry']) =>
  [...(e.takes ? [props.calendar.name] : []), ...e.also].join(', ') || 'nowhere'
</script>

<template>
  <div class="filter">
    <p v-if="!open">
      <template v-if="link.filter">Only entries of which the {{ link.filter }}.</template>
      <template v-else>All of its entries.</template>
      <template v-if="link.counting"> Units where they say so: {{ link.counting }}.</template>
      <el-button size="small" text @click="begin">{{ link.filter ? 'Other entries' : 'Only some' }}</el-button>
    </p>
    <form v-else @submit.prevent="tryIt">
      <div class="line">
        <el-select v-model="form.property" size="small" aria-label="What is asked">
          <el-option v-for="p in properties" :key="p" :value="p" :label="p" />
        </el-select>
        <el-select v-model="form.way" size="small" aria-label="How">
          <el-option v-for="w in ways" :key="w" :value="w" :label="w" />
        </el-select>
        <el-input v-model="form.text" size="small" aria-label="For what" placeholder="empty: all of them" />
      </div>
      <el-input
        v-if="calendar.capacity > 1"
        v-model="counting"
        size="small"
        aria-label="How many units each takes"
        placeholder="units where they say so, such as: title matches (\d+) boats"
      />
      <p v-if="problems.all.value" role="alert" class="failed">
        {{ problems.of('filter') || problems.of('counting') || problems.all.value }}
      </p>
      <template v-if="tried">
        <p role="status">
          {{ count(tried.sorting.taken, 'entry', 'entries') }} would count on {{ calendar.name }},
          {{ tried.sorting.left }} would not<template v-if="tried.sorting.lost > 0"
            >, and <strong>{{ tried.sorting.lost }} of those nowhere</strong></template
          >. Nothing is changed yet.
        </p>
        <ul v-if="tried.sorting.entries.length > 0" class="sorted">
          <li v-for="(e, i) in tried.sorting.entries" :key="i">
            {{ isolated(e.title) || 'Untitled' }}
            <span class="soft"
              >→ {{ where(e)
              }}<template v-if="e.units && calendar.capacity > 1"
                >, {{ count(e.units, 'unit', 'units') }}</template
              ></span
            >
          </li>
        </ul>
      </template>
      <div class="line">
        <el-button size="small" native-type="submit" :loading="look.isPending.value">Try it</el-button>
        <el-button size="small" type="primary" :disabled="tried?.as !== as" @click="save">Save</el-button>
        <el-button size="small" text @click="open = false">Not now</el-button>
      </div>
    </form>
  </div>
</template>

<style scoped>
.filter {
  margin-top: 0.4rem;
}
form {
  display: grid;
  gap: 0.4rem;
}
.line {
  display: flex;
  flex-wrap: wrap;
  gap: 0.4rem;
}
.line .el-select {
  width: 8rem;
}
.line .el-input {
  flex: 1 1 10rem;
}
.line .el-button + .el-button {
  margin-left: 0;
}
.sorted {
  max-height: 14rem;
  overflow: auto;
  margin: 0;
  padding-left: 1.1rem;
  list-style: disc;
  gap: 0.15rem;
}
.failed {
  color: var(--alarm);
}
</style>
