<script setup lang="ts">
import { computed, toRef } from 'vue'
import { usePickups } from '@/data/queries'
import TimeAgo from './TimeAgo.vue'

const props = defineProps<{ publication: number }>()
const pickups = usePickups(toRef(props, 'publication'))
/** The kinds of readers that come, without their versions. */
const readers = computed(() => [
  ...new Set((pickups.data.value ?? []).map((k) => k.agent.replace(/[/ ][\d.]+.*$/, '') || 'one that does not say')),
])
</script>

<template>
  <div class="table-scroll" role="region" aria-label="Pickups" tabindex="0">
    <p v-if="pickups.data.value?.length === 0" class="soft">Nobody came for it yet.</p>
    <p v-if="readers.length > 1">
      {{ readers.length }} kinds of readers come to its link: {{ readers.join(', ') }}. If one of them is not the
      recipient, its downloads prove nothing: say which one is.
    </p>
    <table v-if="pickups.data.value?.length" class="records">
      <thead>
        <tr>
          <th class="n">Version</th>
          <th>First picked up</th>
          <th>Last asked</th>
          <th class="n">Times</th>
          <th>By</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="k in pickups.data.value ?? []" :key="`${k.version}${k.agent}`">
          <td class="n">{{ k.version }}</td>
          <td><TimeAgo :at="k.first" /></td>
          <td><TimeAgo :at="k.last" /></td>
          <td class="n">{{ k.times }}</td>
          <td>{{ k.agent || 'does not say' }}</td>
        </tr>
      </tbody>
    </table>
  </div>
</template>
