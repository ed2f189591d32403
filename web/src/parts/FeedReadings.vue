<script setup lang="ts">
import { toRef } from 'vue'
import { useReadings } from '@/data/queries'
import TimeAgo from './TimeAgo.vue'

const props = defineProps<{ feed: number }>()
const readings = useReadings(toRef(props, 'feed'))
</script>

<template>
  <table>
    <thead>
      <tr>
        <th>Read</th>
        <th>Outcome</th>
        <th class="n">Times</th>
        <th class="n">Entries</th>
        <th class="n">Added</th>
        <th class="n">Changed</th>
        <th class="n">Removed</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="r in readings.data.value ?? []" :key="r.id">
        <td><TimeAgo :at="r.finished" /></td>
        <td :class="r.outcome">{{ r.message ?? r.outcome }}</td>
        <td class="n">{{ r.times }}</td>
        <td class="n">{{ r.entries }}</td>
        <td class="n">{{ r.added }}</td>
        <td class="n">{{ r.changed }}</td>
        <td class="n">{{ r.removed }}</td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
table {
  border-collapse: collapse;
  width: 100%;
  font-size: var(--size-small);
  background: var(--paper-raised);
}
th {
  font-weight: 400;
  color: var(--ink-soft);
  text-align: left;
}
th,
td {
  padding: 0.2rem 0.6rem;
  border-top: 1px solid var(--line);
}
.n {
  text-align: right;
}
.failed {
  color: var(--alarm);
}
</style>
