<script setup lang="ts">
import { computed, ref, watchEffect } from 'vue'
import type { Color, Feed } from '@/data/api'
import { useAddFeed, useCalendars, usePlatforms } from '@/data/queries'
import { useProblems } from '@/logic/form'
import { count } from '@/logic/dates'
import ColorSelect from './ColorSelect.vue'

const props = defineProps<{ modelValue: boolean }>()
const emit = defineEmits<{ added: [sentence: string]; 'update:modelValue': [open: boolean] }>()
const open = computed({ get: () => props.modelValue, set: (value) => emit('update:modelValue', value) })

const add = useAddFeed()
const platforms = usePlatforms()
const calendars = useCalendars()
const problems = useProblems()

const link = ref('')
const platform = ref('')
const name = ref('')
const color = ref<Color>()
const calendar = ref<number>()
const role = ref<'blocks' | 'shows'>('blocks')
const minutes = ref(15)

// With a single calendar, that is the one that is meant.
watchEffect(() => {
  if (calendars.data.value?.length === 1) calendar.value ??= calendars.data.value[0]?.id
})

const suggested = computed(() => {
  const thing = calendars.data.value?.find((c) => c.id === calendar.value)?.name
  return [thing, platform.value].filter(Boolean).join(', ')
})

function suggest(text: string, give: (all: { value: string }[]) => void) {
  const all = platforms.data.value ?? []
  give(all.filter((p) => p.name.toLowerCase().includes(text.toLowerCase())).map((p) => ({ value: p.name })))
}

async function send() {
  let feed: Feed | undefined
  const done = await problems.attempt(async () => {
    feed = await add.mutateAsync({
      url: link.value.trim(),
      platform: platform.value,
      name: name.value || suggested.value,
      color: color.value,
      every: minutes.value * 60,
      calendar: calendar.value,
      link: calendar.value ? { role: role.value } : undefined,
    })
  })
  if (!done || !feed) return
  emit('added', `${feed.name}: ${count(feed.entries, 'entry', 'entries')} read.`)
  link.value = name.value = ''
  color.value = undefined
  open.value = false
}
</script>

<template>
  <el-dialog v-model="open" title="Subscribe to a feed" width="min(36rem, 96vw)" append-to-body>
    <el-form label-position="top" @submit.prevent="send">
      <el-form-item label="Link of the feed" :error="problems.of('url')">
        <el-input v-model="link" placeholder="https, http or webcal" autofocus />
        <p class="soft small">
          In the platform, look for “iCal”, “ICS”, “export calendar” or “calendar link”, and copy the address. It is
          read before it is kept.
        </p>
      </el-form-item>
      <el-form-item label="Platform" :error="problems.of('platform')">
        <el-autocomplete
          v-model="platform"
          :fetch-suggestions="(t, g) => suggest(t, g)"
          placeholder="Where it comes from"
        />
      </el-form-item>
      <el-form-item label="Counts on" :error="problems.of('calendar')">
        <el-select v-model="calendar" clearable placeholder="No calendar yet">
          <el-option v-for="c in calendars.data.value ?? []" :key="c.id" :value="c.id" :label="c.name" />
        </el-select>
      </el-form-item>
      <el-form-item v-if="calendar" label="What it does there" :error="problems.of('link.role')">
        <el-radio-group v-model="role">
          <el-radio value="blocks">blocks the dates</el-radio>
          <el-radio value="shows">is only shown</el-radio>
        </el-radio-group>
      </el-form-item>
      <el-form-item label="Name" :error="problems.of('name')">
        <el-input v-model="name" :placeholder="suggested || 'The thing and the platform'" />
      </el-form-item>
      <el-form-item label="Colour" :error="problems.of('color')">
        <ColorSelect v-model="color" clearable />
      </el-form-item>
      <el-form-item label="Read every" :error="problems.of('every')">
        <el-input-number v-model="minutes" :min="1" :max="10080" /> <span class="unit soft">minutes</span>
      </el-form-item>
      <p v-if="problems.rest.value" role="alert" class="failed">{{ problems.rest.value }}</p>
      <el-button type="primary" native-type="submit" :loading="add.isPending.value">Read it and subscribe</el-button>
    </el-form>
  </el-dialog>
</template>

<style scoped>
.unit {
  margin-left: 0.5rem;
}
.failed {
  color: var(--alarm);
  margin-bottom: 0.6rem;
}
</style>
