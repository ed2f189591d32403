<script setup lang="ts">
import { toRef } from 'vue'
import { useReadings } from '@/data/queries'
import TimeAgo from './TimeAgo.vue'

const props = defineProps<{ feed: number }>()
const readings = useReadings(toRef(props, 'feed'))
</script>

<template>
  <div class="table-scroll" role="region" aria-label="Readings" tabindex="0">
    <table class="records">
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
          <td :class="{ failed: r.outcome === 'failed' }">{{ r.message ?? r.outcome }}</td>
          <td class="n">{{ r.times }}</td>
          <td class="n">{{ r.entries }}</td>
          <td class="n">{{ r.added }}</td>
          <td class="n">{{ r.changed }}</td>
          <td class="n">{{ r.removed }}</td>
        </tr>
      </tbody>
    </table>
  </div>
</template>
