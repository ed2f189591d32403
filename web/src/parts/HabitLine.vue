<script setup lang="ts">
import { computed, ref, toRef } from 'vue'
import type { Effect, Habit } from '@/data/api'
import { tries, useBookingLives, useChangeHabit } from '@/data/queries'
import { shortDay } from '@/logic/dates'
import { useProblems } from '@/logic/form'
import GivingBox from './GivingBox.vue'
import TimeAgo from './TimeAgo.vue'
import { titleOf } from '@/logic/origin'

const props = defineProps<{ platform: number; habit: Habit; where: string; superseded: boolean }>()
const change = useChangeHabit()
const problems = useProblems()
const yesNo = [
  ['yes', 'yes'],
  ['no', 'no'],
] as const
const forms = [
  ['sale', 'its sales'],
  ['block', 'blocks'],
  ['both', 'sales or blocks'],
] as const
const values = computed(() => {
  const known = { reflects: yesNo, keeps_uids: yesNo, way: yesNo, form: forms, delay: [], rate: [] }[props.habit.habit]
  return [...known, ['off', 'conclude nothing from it'] as const]
})
const measured = computed(() => props.habit.habit === 'delay' || props.habit.habit === 'rate')
const unit = computed(() => (props.habit.habit === 'delay' ? 'minutes' : 'sales a day at most'))

const correcting = ref(false)
const value = ref('')
const tried = ref<{ value?: string; effects: Effect[] } | null>(null)
const request = (v?: string) => ({ platform: props.platform, habit: props.habit.habit, of: props.habit.of, value: v })
const see = (v?: string) =>
  problems.attempt(async () => {
    tried.value = { value: v, effects: await tries.habit(request(v)) }
  })
async function keep() {
  if (!tried.value) return
  const v = tried.value.value
  if (await problems.attempt(() => change.mutateAsync(request(v)))) {
    tried.value = null
    correcting.value = false
  }
}

const most = 3
const teachers = computed(() => (props.habit.bookings ?? []).slice(0, most))
const showing = ref(false)
const lives = useBookingLives(computed(() => (showing.value ? teachers.value : [])))
const habit = toRef(props, 'habit')
</script>

<template>
  <li class="habit">
    <p>
      {{ habit.sentence }}
      <span class="soft"
        ><template v-if="habit.setBy">Laid down by {{ habit.setBy }}</template
        ><template v-else>Learnt {{ where }}</template> <TimeAgo :at="habit.since" />.</span
      >
    </p>
    <div class="act">
      <el-button v-if="teachers.length > 0" size="small" text :aria-expanded="showing" @click="showing = !showing"
        >{{ showing ? 'Hide' : 'Show' }} what it was learnt from</el-button
      >
      <el-button size="small" text :aria-expanded="correcting" @click="correcting = !correcting">Correct</el-button>
      <el-button v-if="habit.setBy" size="small" text @click="see()">Take it back</el-button>
    </div>
    <ul v-if="showing" class="soft">
      <li v-for="l in lives" :key="l.booking.id">
        {{ titleOf(l.booking) }} from {{ shortDay(l.booking.start.slice(0, 10)) }} to
        {{ shortDay(l.booking.end.slice(0, 10)) }}, seen since <TimeAgo :at="l.booking.seenBy" />
      </li>
      <li v-if="(habit.bookings?.length ?? 0) > most">and {{ habit.bookings!.length - most }} more</li>
    </ul>
    <div v-if="correcting && !tried" class="act">
      <el-input v-if="measured" v-model="value" :aria-label="unit" class="number" @keyup.enter="see(value)">
        <template #append>{{ unit }}</template>
      </el-input>
      <el-button v-if="measured" @click="see(value)">See what it changes</el-button>
      <el-button v-for="[v, word] in values" :key="v" :disabled="v === habit.value" @click="see(v)">{{
        word
      }}</el-button>
    </div>
    <GivingBox
      v-if="tried"
      :effects="tried.effects"
      :word="tried.value === undefined ? 'Take it back' : 'Lay it down'"
      :busy="change.isPending.value"
      @keep="keep"
      @leave="tried = null"
    />
    <p v-if="problems.rest.value || problems.of('value')" role="alert" class="failed">
      {{ problems.of('value') ?? problems.rest.value }}
    </p>
  </li>
</template>

<style scoped>
.habit {
  border-top: 1px solid var(--line);
  padding: 0.5rem 0;
  display: grid;
  gap: 0.3rem;
}
.act {
  display: flex;
  flex-wrap: wrap;
  gap: 0.4rem;
}
.act .el-button + .el-button {
  margin-left: 0;
}
.act .is-text {
  padding-left: 0;
}
.number {
  width: 16rem;
}
.failed {
  color: var(--alarm);
}
ul {
  margin: 0;
  padding-left: 1.1rem;
}
</style>
