<script setup lang="ts">
// Subscribing: paste links, or choose files, look at what they give, then let them count.
import { computed, ref } from 'vue'
import { useAddFeed, useAddLink, useCalendars, usePlatforms, useTryLink } from '@/data/queries'
import { count } from '@/logic/dates'
import { sent } from '@/logic/files'
import { useMore } from '@/logic/more'
import { linksIn, useTrials, type Tried } from '@/logic/trials'
import FileChoice from './FileChoice.vue'
import TrialCard from './TrialCard.vue'

const props = defineProps<{ modelValue: boolean }>()
const emit = defineEmits<{ added: [sentence: string]; 'update:modelValue': [open: boolean] }>()
const open = computed({ get: () => props.modelValue, set: (value) => emit('update:modelValue', value) })

const add = useAddFeed()
const put = useAddLink()
const look = useTryLink()
const platforms = usePlatforms()
const calendars = useCalendars()
const trials = useTrials(
  (link) => look.mutateAsync(link),
  (body) => add.mutateAsync(body),
  (id, feed, body) => put.mutateAsync({ id, feed, body }),
)

/** Those that need a person come first, once all are looked at; of very many the first are drawn. */
const ordered = computed(() => {
  const all = trials.rows.value
  if (trials.looked.value < all.length) return all
  const wrong = (r: Tried) => (r.failed || r.trial?.problem ? 0 : 1)
  return [...all].sort((a, b) => wrong(a) - wrong(b))
})
const { shown, left, more } = useMore(ordered, 25)

/** Those whose platform nothing tells: it is named once for all of them. */
const nameless = computed(() => trials.good.value.filter((r) => !r.platform))
const platform = ref('')
function nameAll() {
  for (const r of nameless.value) r.platform = platform.value.trim()
  platform.value = ''
}

const text = ref('')
const asks = ref(false)
const user = ref('')
const password = ref('')
const pasted = ref(true) // the first step
const busy = ref(false)
const links = computed(() => linksIn(text.value).length)

async function begin() {
  if (links.value === 0) return
  pasted.value = false
  await trials.begin(text.value, asks.value ? { user: user.value, password: password.value } : undefined)
}

async function beginFiles(files: File[]) {
  pasted.value = false
  await trials.beginFiles(await Promise.all(files.map(sent)))
}

async function send() {
  busy.value = true
  const done = await trials.subscribe()
  busy.value = false
  if (done.length > 0) {
    const entries = done.reduce((n, f) => n + f.entries, 0)
    const names = done.length === 1 ? done.map((f) => f.name).join() : count(done.length, 'feed', 'feeds')
    emit('added', `${names}: ${count(entries, 'entry', 'entries')} read.`)
  }
  if (trials.rows.value.length === 0) again()
}

/** Begins anew. */
function again() {
  const left = trials.rows.value.flatMap((r) => (r.file ? [] : [r.url])).join('\n')
  trials.rows.value = []
  pasted.value = true
  text.value = left
  if (!left) {
    user.value = password.value = ''
    asks.value = false
    open.value = false
  }
}
</script>

<template>
  <el-dialog v-model="open" title="Subscribe to feeds" width="min(46rem, 96vw)" append-to-body>
    <el-form v-if="pasted" label-position="top" @submit.prevent="begin">
      <el-form-item label="Links of the feeds, one a line">
        <el-input v-model="text" type="textarea" :rows="4" placeholder="https, http or webcal" autofocus />
        <p class="soft small">
          In each platform, look for “iCal”, “ICS”, “export calendar” or “calendar link”, and copy the address. You see
          what is in it before anything is kept.
        </p>
      </el-form-item>
      <el-checkbox v-model="asks">The platform asks for a user name and a password</el-checkbox>
      <div v-if="asks" class="password">
        <el-form-item label="User name"><el-input v-model="user" autocomplete="off" /></el-form-item>
        <el-form-item label="Password"
          ><el-input v-model="password" type="password" autocomplete="new-password"
        /></el-form-item>
      </div>
      <div class="act">
        <el-button type="primary" native-type="submit" :disabled="links === 0">Look at what is in it</el-button>
        <FileChoice label="Files instead" multiple @chosen="beginFiles" />
      </div>
    </el-form>
    <form v-else novalidate @submit.prevent="send">
      <datalist id="platforms">
        <option v-for="p in platforms.data.value ?? []" :key="p.id" :value="p.name" />
      </datalist>
      <p role="status" class="soft">
        {{ trials.looked.value }} of {{ count(trials.rows.value.length, 'link', 'links') }} looked at,
        {{ trials.good.value.length }} with a calendar. Nothing is kept yet.
      </p>
      <label v-if="nameless.length > 1" class="all"
        >The platform of those {{ nameless.length }} that name none
        <el-input v-model="platform" list="platforms" placeholder="Where they come from" @change="nameAll" />
      </label>
      <TrialCard
        v-for="row in shown"
        :key="row.url"
        :model-value="row"
        :calendars="calendars.data.value ?? []"
        @instead="trials.instead(row, $event)"
        @leave-out="trials.leaveOut(row)"
      />
      <el-button v-if="left > 0" size="small" @click="more">Show more ({{ left }})</el-button>
      <div class="act">
        <el-button type="primary" native-type="submit" :disabled="trials.good.value.length === 0" :loading="busy">
          Subscribe to {{ trials.good.value.length === 1 ? 'it' : count(trials.good.value.length, 'feed', 'feeds') }}
        </el-button>
        <el-button @click="again">Other links</el-button>
      </div>
    </form>
  </el-dialog>
</template>

<style scoped>
.password {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(min(14rem, 100%), 1fr));
  gap: 0 0.9rem;
}
.all {
  display: grid;
  gap: 0.2rem;
  padding: 0.5rem 0;
  max-width: 22rem;
}
.act {
  display: flex;
  flex-wrap: wrap;
  gap: 0.4rem;
  padding-top: 0.6rem;
}
.act .el-button + .el-button {
  margin-left: 0;
}
</style>
