<script setup lang="ts">
// A feed's history: a strip of its readings, a plot of what it held, and each record.
import { computed, defineAsyncComponent, ref, toRef } from 'vue'
import type { Reading } from '@/data/api'
import { useReadings } from '@/data/queries'
import { count } from '@/logic/dates'
import { stripOf } from '@/logic/history'
import { useMore } from '@/logic/more'
import { isolated } from '@/logic/origin'
import { bytesWords, readingWords, tookWords } from '@/logic/words'
import ReadingChanges from './ReadingChanges.vue'
import TimeAgo from './TimeAgo.vue'

const FeedReadingPlot = defineAsyncComponent(() => import('./FeedReadingPlot.vue'))

const props = defineProps<{ feed: number }>()
const readings = useReadings(toRef(props, 'feed'))
const all = computed(() => readings.data.value ?? [])
const strip = computed(() => stripOf(all.value, 90))
const { shown, left, more } = useMore(all, 30)
const open = ref<number>() // of which reading it is shown what it changed
const toggle = (r: Reading) => (open.value = open.value === r.id ? undefined : r.id)
const opens = (r: Reading) => r.outcome === 'changed' || (r.remarks?.length ?? 0) > 0
const describe = (r: Reading) =>
  `${new Date(r.finished).toLocaleString('en-GB', { dateStyle: 'medium', timeStyle: 'short' })}: ${readingWords(r)}`
</script>

<template>
  <div class="history">
    <ol v-if="strip.length > 0" class="strip" aria-label="The newest readings, the oldest first">
      <li
        v-for="(p, i) in strip"
        :key="i"
        :class="p.reading.outcome"
        :style="{ flexGrow: p.weight }"
        :title="describe(p.reading)"
      >
        <span class="visually-hidden">{{ describe(p.reading) }}</span>
      </li>
    </ol>
    <p class="soft small key">
      <span class="changed" /> changed something <span class="unchanged" /> nothing new <span class="failed" /> failed
    </p>
    <FeedReadingPlot v-if="all.length > 0" :readings="all" />
    <div class="table-scroll" role="region" aria-label="Readings" tabindex="0">
      <table class="records">
        <thead>
          <tr>
            <th>Read</th>
            <th>Outcome</th>
            <th class="n">Times</th>
            <th class="n">HTTP</th>
            <th class="n">Took</th>
            <th class="n">Size</th>
            <th class="n">Entries</th>
            <th class="n">Added</th>
            <th class="n">Changed</th>
            <th class="n">Removed</th>
          </tr>
        </thead>
        <tbody>
          <template v-for="r in shown" :key="r.id">
            <tr>
              <td><TimeAgo :at="r.finished" /></td>
              <td :class="{ failed: r.outcome === 'failed' }">
                <el-button v-if="opens(r)" size="small" :aria-expanded="open === r.id" @click="toggle(r)"
                  >{{ open === r.id ? '▾' : '▸' }} {{ r.outcome
                  }}<template v-if="r.remarks"
                    >, {{ count(r.remarks.length, 'remark', 'remarks') }}</template
                  ></el-button
                ><template v-else>{{ r.message ?? r.outcome }}</template>
              </td>
              <td class="n">{{ r.times }}</td>
              <td class="n">{{ r.status ?? '–' }}</td>
              <td class="n">{{ tookWords(r.tookMs) }}</td>
              <td class="n">{{ bytesWords(r.bytes) }}</td>
              <td class="n">{{ r.entries }}</td>
              <td class="n">{{ r.added }}</td>
              <td class="n">{{ r.changed }}</td>
              <td class="n">{{ r.removed }}</td>
            </tr>
            <tr v-if="open === r.id">
              <td colspan="10">
                <ul v-if="r.remarks">
                  <li v-for="remark in r.remarks" :key="remark">{{ isolated(remark) }}</li>
                </ul>
                <ReadingChanges v-if="r.outcome === 'changed'" :feed="feed" :reading="r" />
              </td>
            </tr>
          </template>
        </tbody>
      </table>
    </div>
    <el-button v-if="left > 0" size="small" @click="more">Older readings ({{ left }})</el-button>
  </div>
</template>

<style scoped>
.history {
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 0.6rem;
  justify-items: start;
}
.history > * {
  max-width: 100%;
}
.history > figure,
.table-scroll {
  width: 100%;
}
.strip {
  list-style: none;
  display: flex;
  gap: 1px;
  width: 100%;
  height: 1.6rem;
  margin: 0;
  padding: 0;
}
.strip li {
  flex: 1 1 2px;
  min-width: 2px;
  position: relative;
}
.strip .unchanged,
.key .unchanged {
  background: color-mix(in oklab, var(--calm) 35%, var(--paper-sunk));
}
.strip .changed,
.key .changed {
  background: var(--water);
}
.strip .failed,
.key .failed {
  background: repeating-linear-gradient(45deg, var(--alarm) 0 3px, var(--alarm-soft) 3px 6px);
}
.key span {
  display: inline-block;
  width: 0.8rem;
  height: 0.8rem;
  margin: 0 0.15rem 0 0.6rem;
  vertical-align: -0.1em;
}
.key span:first-child {
  margin-left: 0;
}
ul {
  margin: 0.2rem 0;
  padding-left: 1.1rem;
}
</style>
