<script setup lang="ts">
import { ref, toRef } from 'vue'
import { useReadings } from '@/data/queries'
import ReadingChanges from './ReadingChanges.vue'
import TimeAgo from './TimeAgo.vue'

const props = defineProps<{ feed: number }>()
const readings = useReadings(toRef(props, 'feed'))
const open = ref(0) // of which reading it is shown what it changed
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
        <template v-for="r in readings.data.value ?? []" :key="r.id">
          <tr>
            <td><TimeAgo :at="r.finished" /></td>
            <td :class="{ failed: r.outcome === 'failed' }">
              <el-button
                v-if="r.outcome === 'changed'"
                size="small"
                text
                :aria-expanded="open === r.id"
                @click="open = open === r.id ? 0 : r.id"
                >changed</el-button
              ><template v-else>{{ r.message ?? r.outcome }}</template>
            </td>
            <td class="n">{{ r.times }}</td>
            <td class="n">{{ r.entries }}</td>
            <td class="n">{{ r.added }}</td>
            <td class="n">{{ r.changed }}</td>
            <td class="n">{{ r.removed }}</td>
          </tr>
          <tr v-if="open === r.id">
            <td colspan="7"><ReadingChanges :feed="feed" :reading="r" /></td>
          </tr>
        </template>
      </tbody>
    </table>
  </div>
</template>
