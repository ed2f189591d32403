<script setup lang="ts">
// The reminders of a booking, and one more.
import { computed, ref, watch } from 'vue'
import { usePermission } from '@vueuse/core'
import type { Booking, Calendar } from '@/data/api'
import { useRemind, useReminders, useRemoveReminder } from '@/data/queries'
import { useProblems } from '@/logic/form'
import { firstLead, leadText, unitWords } from '@/logic/reminder'
import TimeAgo from './TimeAgo.vue'

const props = defineProps<{ booking: Booking; calendar: Calendar }>()
const reminders = useReminders(computed(() => props.booking.id))
const add = useRemind()
const remove = useRemoveReminder()
const problems = useProblems()
const adding = ref(false)
const lead = ref(firstLead(props.calendar.grain))
watch(
  () => props.booking.id,
  () => {
    adding.value = false
    lead.value = firstLead(props.calendar.grain)
  },
)
/** Whether the browser may be asked to tell of what is due. */
const permission = usePermission('notifications')
const mayAsk = computed(() => 'Notification' in window && permission.value === 'prompt')
const ask = () => Notification.requestPermission()

async function keep() {
  const body = { booking: props.booking.id, before: leadText(lead.value) }
  if (await problems.attempt(() => add.mutateAsync(body))) adding.value = false
}
</script>

<template>
  <section class="reminders" aria-label="Reminders">
    <h3>Reminders</h3>
    <ul v-if="reminders.data.value?.length">
      <li v-for="r in reminders.data.value" :key="r.id">
        {{ r.says }}<span class="soft">, <TimeAgo :at="r.due" /></span>
        <el-button
          text
          size="small"
          :aria-label="`Remove the reminder ${r.says}`"
          @click="problems.attempt(() => remove.mutateAsync(r.id))"
          >Remove</el-button
        >
      </li>
    </ul>
    <p v-else-if="!adding" class="soft">None.</p>
    <form v-if="adding" class="form" @submit.prevent="keep">
      <el-input-number v-model="lead.n" :min="0" :max="366" size="small" aria-label="How long before" />
      <el-select v-model="lead.unit" size="small" aria-label="Of what" class="unit">
        <el-option v-for="(word, unit) in unitWords" :key="unit" :value="unit" :label="word" />
      </el-select>
      <el-input v-if="lead.unit === 'at'" v-model="lead.at" type="time" size="small" class="at" aria-label="Hour" />
      <el-button type="primary" size="small" native-type="submit" :loading="add.isPending.value">Remind me</el-button>
      <el-button size="small" @click="adding = false">No</el-button>
    </form>
    <div v-else>
      <el-button size="small" @click="adding = true">Add a reminder</el-button>
      <el-button v-if="mayAsk && reminders.data.value?.length" size="small" @click="ask"
        >Let the browser tell me, too</el-button
      >
    </div>
    <p v-if="booking.hold" class="soft small">It is of all of a series.</p>
    <p v-if="problems.all.value" role="alert" class="failed">{{ problems.all.value }}</p>
  </section>
</template>

<style scoped>
.reminders {
  display: grid;
  gap: 0.4rem;
}
h3 {
  margin: 0;
  font-size: var(--size-body);
}
ul {
  margin: 0;
  padding-left: 1.1rem;
}
.form {
  display: flex;
  flex-wrap: wrap;
  gap: 0.4rem;
  align-items: center;
}
.unit {
  width: 9.5rem;
}
.at {
  width: 7rem;
}
.failed {
  color: var(--alarm);
}
</style>
