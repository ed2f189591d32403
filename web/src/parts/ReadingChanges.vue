<script setup lang="ts">
// What one reading changed.
import { computed, toRef } from 'vue'
import type { Reading } from '@/data/api'
import { useFeedChanges } from '@/data/queries'
import ChangeList from './ChangeList.vue'

const props = defineProps<{ feed: number; reading: Reading }>()
const since = computed(() => props.reading.started)
const until = computed(() => props.reading.finished)
const changes = useFeedChanges(toRef(props, 'feed'), since, until)
</script>

<template>
  <p v-if="changes.error.value" role="alert">{{ changes.error.value.message }}</p>
  <p v-else-if="changes.data.value?.length === 0" class="soft">
    Nothing of it is on a calendar, or it is too long ago to be known.
  </p>
  <ChangeList v-else-if="changes.data.value" :changes="changes.data.value" />
</template>
