<script setup lang="ts">
// How many entries a feed has had, and what each reading brought and took.
import { useElementSize } from '@vueuse/core'
import { BarChart, LineChart } from 'echarts/charts'
import { GridComponent, LegendComponent, TooltipComponent } from 'echarts/components'
import { init, use, type EChartsType } from 'echarts/core'
import { CanvasRenderer } from 'echarts/renderers'
import { computed, onMounted, onUnmounted, useTemplateRef, watch } from 'vue'
import type { Reading } from '@/data/api'
import { count } from '@/logic/dates'
import { plotOf } from '@/logic/history'
import { useDarkPaper } from '@/logic/paper'

use([BarChart, LineChart, GridComponent, LegendComponent, TooltipComponent, CanvasRenderer])

const props = defineProps<{ readings: Reading[] }>()
const box = useTemplateRef<HTMLElement>('box')
const { width } = useElementSize(box)
const dark = useDarkPaper()
let chart: EChartsType | undefined

const plot = computed(() => plotOf(props.readings))
const words = computed(() => {
  const last = plot.value.entries.at(-1)
  const first = plot.value.entries[0]
  if (!first || !last) return 'No good reading yet.'
  const sum = (points: [string, number][]) => points.reduce((n, [, y]) => n + Math.abs(y), 0)
  return `From ${count(first[1], 'entry', 'entries')} to ${last[1]}: ${sum(plot.value.added)} added, ${sum(plot.value.changed)} changed, ${sum(plot.value.removed)} removed.`
})

function draw() {
  if (!chart) return
  const of = (name: string) => getComputedStyle(document.documentElement).getPropertyValue(name).trim()
  const ink = of('--ink-soft')
  const line = of('--line')
  const bar = (name: string, data: [string, number][], color: string) => ({
    name,
    type: 'bar' as const,
    stack: 'what it changed',
    yAxisIndex: 1,
    barWidth: 5,
    itemStyle: { color },
    data,
  })
  const axis = { axisLabel: { color: ink }, axisLine: { lineStyle: { color: line } } }
  chart.setOption(
    {
      animation: false,
      textStyle: { fontFamily: getComputedStyle(document.body).fontFamily },
      grid: { left: 42, right: 46, top: 46, bottom: 26 },
      legend: { top: 0, left: 0, textStyle: { color: ink } },
      tooltip: { trigger: 'axis', renderMode: 'richText' }, // drawn: a page of ours takes no inline styles
      xAxis: { type: 'time', ...axis, axisLabel: { ...axis.axisLabel, hideOverlap: true } },
      yAxis: [
        {
          type: 'value',
          min: 0,
          minInterval: 1,
          splitLine: { lineStyle: { color: line } },
          ...axis,
        },
        {
          type: 'value',
          minInterval: 1,
          name: 'changes',
          nameTextStyle: { color: ink },
          splitLine: { show: false },
          ...axis,
        },
      ],
      series: [
        {
          name: 'entries',
          type: 'line',
          step: 'end',
          showSymbol: plot.value.entries.length < 3,
          lineStyle: { color: of('--water'), width: 2 },
          itemStyle: { color: of('--water') },
          data: plot.value.entries,
        },
        bar('added', plot.value.added, of('--calm')),
        bar('changed', plot.value.changed, of('--caution')),
        bar('removed', plot.value.removed, of('--alarm')),
      ],
    },
    true,
  )
}

onMounted(() => {
  if (!box.value) return
  chart = init(box.value)
  draw()
})
onUnmounted(() => chart?.dispose())
watch([plot, dark], draw, { flush: 'post' })
watch(width, () => chart?.resize())
</script>

<template>
  <figure>
    <div ref="box" class="plot" aria-hidden="true" />
    <figcaption class="soft small">{{ words }}</figcaption>
  </figure>
</template>

<style scoped>
figure {
  margin: 0;
}
.plot {
  width: 100%;
  height: 13rem;
}
</style>
