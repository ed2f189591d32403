<script setup lang="ts">
import { toRef } from 'vue'
import { usePickups } from '@/data/queries'
import TimeAgo from './TimeAgo.vue'

const props = defineProps<{ publication: number }>()
const pickups = usePickups(toRef(props, 'publication'))
</script>

<template>
  <div class="table-scroll" role="region" aria-label="Pickups" tabindex="0">
    <p v-if="pickups.data.value?.length === 0" class="soft">Nobody came for it yet.</p>
    <table v-else class="records">
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
