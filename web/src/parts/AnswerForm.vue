<script setup lang="ts">
import { computed, nextTick, ref } from 'vue'
import type { Answer, Booking } from '@/data/api'
import { answerWords, sayingOf, useAnswering } from '@/logic/answers'
import GivingBox from './GivingBox.vue'
import TimeAgo from './TimeAgo.vue'
import { titleOf } from '@/logic/origin'

const props = defineProps<{ booking: Booking; conflict?: number }>()
const answering = useAnswering()
const said = computed(() => props.booking.answer)
const asked = computed(() => props.booking.verdict === 'unclear' || props.booking.verdict === 'stale')
const box = ref<HTMLElement>()
const title = computed(() => titleOf(props.booking))

async function say(what?: Answer) {
  await answering.begin(sayingOf([props.booking], what, props.conflict))
  await nextTick()
  box.value?.querySelector<HTMLElement>('.keep')?.focus()
}
</script>

<template>
  <div ref="box" class="answer" role="group" :aria-label="`What is ${title}?`">
    <p v-if="said">
      <strong>{{ said.by }} said <TimeAgo :at="said.at" /> that it is {{ answerWords[said.says] }}.</strong>
    </p>
    <GivingBox
      v-if="answering.giving.value"
      :effects="answering.giving.value.effects"
      :word="answering.giving.value.body.says ? 'Keep this answer' : 'Take it back'"
      :busy="answering.busy.value"
      @keep="answering.keep"
      @leave="answering.leave"
    >
      <p v-if="answering.giving.value.body.says">
        You say: <bdi>{{ title }}</bdi> on {{ booking.platform?.name ?? booking.label }} is
        <strong>{{ answerWords[answering.giving.value.body.says] }}</strong>. That stays so, whatever is read later,
        until it is taken back.
      </p>
      <p v-else>
        You take back what was said of <bdi>{{ title }}</bdi>.
      </p>
    </GivingBox>
    <div v-else class="act">
      <template v-if="asked || said">
        <el-button v-if="said?.says !== 'own'" :loading="answering.busy.value" @click="say('own')"
          >A sale of its own</el-button
        >
        <el-button v-if="said?.says !== 'reflected'" :loading="answering.busy.value" @click="say('reflected')"
          >Ours, reflected</el-button
        >
      </template>
      <el-button v-if="said" text :loading="answering.busy.value" @click="say()">Take it back</el-button>
    </div>
    <p v-if="answering.error.value" role="alert" class="failed">{{ answering.error.value }}</p>
  </div>
</template>

<style scoped>
.answer {
  display: grid;
  gap: 0.5rem;
}
.act {
  display: flex;
  flex-wrap: wrap;
  gap: 0.4rem;
}
.act .el-button + .el-button {
  margin-left: 0;
}
.failed {
  color: var(--alarm);
}
</style>
