<script setup lang="ts">
// Which entries of a feed count on a calendar: tried before it is saved.
import { computed, ref } from 'vue'
import type { Calendar, Schemas } from '@/data/api'
import { useEditLink, useTryFilter } from '@/data/queries'
import { count } from '@/logic/dates'
import { filterOf, properties, ways, written } from '@/logic/filter'
import { useProblems } from '@/logic/form'
import { isolated } from '@/logic/origin'

const props = defineProps<{ calendar: Calendar; link: Schemas['Link'] }>()

const edit = useEditLink()
const look = useTryFilter()
const problems = useProblems()
const open = ref(false)
const form = ref(filterOf(''))
const tried = ref<{ filter: string; sorting: Schemas['Sorting'] } | null>(null)
const filter = computed(() => written(form.value))

function begin() {
  problems.clear()
  form.value = filterOf(props.link.filter)
  tried.value = null
  open.value = true
}

async function tryIt() {
  await problems.attempt(async () => {
    const sorting = await look.mutateAsync({ id: props.calendar.id, feed: props.link.feed, filter: filter.value })
    tried.value = { filter: filter.value, sorting }
  })
}

async function save() {
  const { id } = props.calendar
  const { feed, revision } = props.link
  const body = { revision, filter: filter.value }
  if (await problems.attempt(() => edit.mutateAsync({ id, feed, body }))) open.value = false
}

const where = (e: Schemas['SortedEntry']) =>
  [...(e.takes ? [props.calendar.name] : []), ...e.also].join(', ') || 'nowhere'
</script>

<template>
  <div class="filter">
    <p v-if="!open">
      <template v-if="link.filter">Only entries of which the {{ link.filter }}.</template>
      <template v-else>All of its entries.</template>
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
      <p v-if="problems.all.value" role="alert" class="failed">{{ problems.of('filter') || problems.all.value }}</p>
      <template v-if="tried">
        <p role="status">
          {{ count(tried.sorting.taken, 'entry', 'entries') }} would count on {{ calendar.name }},
          {{ tried.sorting.left }} would not<template v-if="tried.sorting.lost > 0"
            >, and <strong>{{ tried.sorting.lost }} of those nowhere</strong></template
          >. Nothing is changed yet.
        </p>
        <ul v-if="tried.sorting.entries.length > 0" class="sorted">
          <li v-for="(e, i) in tried.sorting.entries" :key="i">
            {{ isolated(e.title) || 'Untitled' }} <span class="soft">→ {{ where(e) }}</span>
          </li>
        </ul>
      </template>
      <div class="line">
        <el-button size="small" native-type="submit" :loading="look.isPending.value">Try it</el-button>
        <el-button
          size="small"
          type="primary"
          :disabled="tried?.filter !== filter"
          :loading="edit.isPending.value"
          @click="save"
          >Save</el-button
        >
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
