<script setup lang="ts">
// What a publication shows, how, and who may read it: of one that is there, or of a new one.
import { computed, ref, watch } from 'vue'
import type { Publication, Schemas } from '@/data/api'
import { tryPublicationEdit, useAddPublication, useCalendars, useEditPublication, useFeeds } from '@/data/queries'
import { useCareful } from '@/logic/careful'
import { useProblems } from '@/logic/form'
import { categoriesOf } from '@/logic/hold'
import { contentOf, emptyContent, type Recipient } from '@/logic/publication'
import EffectDialog from './EffectDialog.vue'

const props = defineProps<{ publication?: Publication }>()
const open = defineModel<boolean>({ required: true })

const calendars = useCalendars()
const feeds = useFeeds()
const edit = useEditPublication()
const add = useAddPublication()
const problems = useProblems()
const careful = useCareful()

const name = ref('')
const calendar = ref<number>()
const recipient = ref<Recipient>({ kind: 'person', name: '' })
const content = ref(emptyContent())
const categories = ref('')
const access = ref({ user: '', password: '', expires: '' })
function begin() {
  const p = props.publication
  problems.clear()
  name.value = p?.name ?? ''
  calendar.value = p?.calendar
  recipient.value = { kind: 'person', name: '' }
  content.value = p ? structuredClone(contentOf(p)) : emptyContent()
  categories.value = content.value.categories.join(', ')
  access.value = { user: p?.user ?? '', password: '', expires: p?.expires ?? '' }
}
watch(open, (now) => now && begin(), { immediate: true })

const of = computed(() => (calendars.data.value ?? []).find((c) => c.id === calendar.value))
const choices = computed(() => (calendars.data.value ?? []).map((c) => ({ value: c.id, label: c.name })))
const linked = computed(() =>
  (of.value?.links ?? []).map((l) => ({
    value: l.feed,
    label: feeds.data.value?.find((f) => f.id === l.feed)?.name ?? '',
  })),
)
/** Others that a person can get in the same link. */
const person = computed(() => props.publication?.platform.person ?? recipient.value.kind === 'person')
const others = computed(() =>
  (calendars.data.value ?? []).filter((c) => c.id !== calendar.value).map((c) => ({ value: c.id, label: c.name })),
)
const busy = computed(() => edit.isPending.value || add.isPending.value)

async function save() {
  const said: Schemas['PublicationContentEdit'] = { ...content.value, categories: categoriesOf(categories.value) }
  if (of.value?.capacity === 1 || said.detail === 'everything') said.occupancy = undefined
  if (said.detail === 'everything') said.joined = false
  if (!person.value) said.calendars = undefined
  const { user, password, expires } = access.value
  const p = props.publication
  await problems.attempt(async () => {
    if (!p) {
      await add.mutateAsync({
        calendar: calendar.value ?? 0,
        platform: recipient.value.name,
        person: recipient.value.kind === 'person',
        name: name.value || `${of.value?.name ?? ''}, for ${recipient.value.name}`,
        content: said,
        user,
        password: password || undefined,
        expires,
      })
      open.value = false
      return
    }
    const body = {
      revision: p.revision,
      name: name.value,
      content: said,
      user,
      password: password || undefined,
      expires: expires === (p.expires ?? '') ? undefined : expires,
    }
    await careful.attempt(
      `Change ${p.name}?`,
      () => tryPublicationEdit(p.id, body),
      async () => {
        await edit.mutateAsync({ id: p.id, body })
        open.value = false
      },
    )
  })
}
</script>

<template>
  <el-drawer
    v-model="open"
    size="min(36rem, 100%)"
    :title="publication ? `${publication.platform.name}: ${publication.name}` : 'Give a calendar to somebody'"
  >
    <el-form label-position="top" class="publication" @submit.prevent="save">
      <template v-if="!publication">
        <el-form-item label="For">
          <el-radio-group v-model="recipient.kind">
            <el-radio value="person">a person, who sells nothing</el-radio>
            <el-radio value="platform">a platform, which never gets its own bookings</el-radio>
          </el-radio-group>
        </el-form-item>
        <el-form-item :label="recipient.kind === 'person' ? 'Who' : 'Which platform'" :error="problems.of('platform')">
          <el-input v-model="recipient.name" name="recipient" maxlength="100" />
        </el-form-item>
        <el-form-item label="Calendar" :error="problems.of('calendar')">
          <el-select-v2 v-model="calendar" :options="choices" filterable aria-label="Calendar" />
        </el-form-item>
      </template>
      <el-form-item label="Its name, which the recipient sees" :error="problems.of('name')">
        <el-input v-model="name" name="name" maxlength="100" :placeholder="publication ? '' : 'calendar, for whom'" />
      </el-form-item>

      <el-form-item label="What is seen of a booking" :error="problems.of('detail')">
        <el-radio-group v-model="content.detail">
          <el-radio value="times">when, and no more</el-radio>
          <el-radio value="titles">its title, too (not of private ones)</el-radio>
          <el-radio value="everything">all that its source gives (not of private ones)</el-radio>
        </el-radio-group>
      </el-form-item>
      <fieldset v-if="content.detail === 'everything'" class="more">
        <legend>What goes out only if you say so</legend>
        <el-checkbox v-model="content.attendees" label="Guests and organizers" />
        <el-checkbox v-model="content.attachments" label="Files and pictures" />
        <el-checkbox v-model="content.links" label="Links to pages" />
        <p class="soft small">Descriptions and places always go out; what repeats stays one series.</p>
      </fieldset>
      <el-form-item label="Title of what is shown without its own" :error="problems.of('title')">
        <el-input v-model="content.title" name="title" maxlength="200" />
      </el-form-item>
      <el-form-item
        v-if="(of?.capacity ?? 1) > 1 && content.detail !== 'everything'"
        label="What is shown as taken"
        :error="problems.of('occupancy')"
      >
        <el-radio-group v-model="content.occupancy">
          <el-radio value="full">where none of the {{ of?.capacity }} is left</el-radio>
          <el-radio value="each">every booking</el-radio>
        </el-radio-group>
      </el-form-item>
      <el-form-item label="What is tentative goes out" :error="problems.of('tentative')">
        <el-radio-group v-model="content.tentative">
          <el-radio value="tentative">as tentative</el-radio>
          <el-radio value="firm">as firm</el-radio>
          <el-radio value="ignore">not at all</el-radio>
        </el-radio-group>
      </el-form-item>

      <details>
        <summary>Which bookings go out</summary>
        <el-form-item
          v-if="person"
          label="Of these calendars, too (each title says of which)"
          :error="problems.of('calendars')"
        >
          <el-select-v2
            v-model="content.calendars"
            :options="others"
            multiple
            filterable
            aria-label="Other calendars"
          />
        </el-form-item>
        <el-form-item label="From these feeds (all, where none is chosen)" :error="problems.of('feeds')">
          <el-select-v2 v-model="content.feeds" :options="linked" multiple filterable aria-label="Feeds" />
        </el-form-item>
        <el-checkbox v-model="content.holds" label="What was entered by hand" />
        <el-checkbox v-model="content.shown" label="What is only shown: it goes out as free" />
        <el-form-item
          label="With one of these categories (all, where none is given)"
          :error="problems.of('categories')"
        >
          <el-input v-model="categories" name="categories" placeholder="club, winter" />
        </el-form-item>
        <div class="two">
          <el-form-item label="Days back" :error="problems.of('back')">
            <el-input-number v-model="content.back" :min="1" :max="90" aria-label="Days back" />
          </el-form-item>
          <el-form-item label="Months ahead" :error="problems.of('ahead')">
            <el-input-number v-model="content.ahead" :min="1" :max="24" aria-label="Months ahead" />
          </el-form-item>
        </div>
      </details>
      <details>
        <summary>How it is written and read</summary>
        <el-checkbox
          v-if="content.detail !== 'everything'"
          v-model="content.joined"
          label="What adjoins or overlaps goes out as one"
        />
        <div class="two">
          <el-form-item label="Alarm before each" :error="problems.of('alarm')">
            <el-input v-model="content.alarm" name="alarm" placeholder="none; 30m, 2h, 1d or kept" maxlength="10" />
          </el-form-item>
          <el-form-item label="What is gone is called off for hours" :error="problems.of('cancelled')">
            <el-input-number
              v-model="content.cancelled"
              :min="0"
              :max="744"
              aria-label="Hours for which it is called off"
            />
          </el-form-item>
          <el-form-item label="Readers may come back after minutes" :error="problems.of('refresh')">
            <el-input-number
              v-model="content.refresh"
              :min="5"
              :max="1440"
              aria-label="Minutes until readers come back"
            />
          </el-form-item>
          <el-form-item label="Colour in the reader's program" :error="problems.of('color')">
            <el-input v-model="content.color" name="color" placeholder="none; teal" maxlength="30" />
          </el-form-item>
        </div>
      </details>
      <details>
        <summary>Who may read it</summary>
        <p class="soft small">
          The link is a secret by itself. A name and a password beside it are for readers that know how to ask.
        </p>
        <div class="two">
          <el-form-item label="User name" :error="problems.of('user')">
            <el-input v-model="access.user" name="link-user" autocomplete="off" maxlength="100" />
          </el-form-item>
          <el-form-item label="Password" :error="problems.of('password')">
            <el-input
              v-model="access.password"
              name="link-password"
              autocomplete="new-password"
              maxlength="200"
              :placeholder="publication?.user ? 'as it is' : ''"
            />
          </el-form-item>
        </div>
        <el-form-item label="The link ends" :error="problems.of('expires')">
          <el-input v-model="access.expires" name="expires" placeholder="never; 2026-12-18 or 2026-12-18T18:00" />
        </el-form-item>
      </details>
      <p v-if="problems.all.value" role="alert" class="failed">{{ problems.all.value }}</p>
      <div class="act">
        <el-button type="primary" native-type="submit" :loading="busy">{{
          publication ? 'Save' : 'Make its link'
        }}</el-button>
        <el-button text @click="open = false">Not now</el-button>
      </div>
    </el-form>
    <EffectDialog
      :asking="careful.asking.value"
      :busy="busy"
      @agree="problems.attempt(careful.agree)"
      @leave="careful.leave"
    />
  </el-drawer>
</template>

<style scoped>
.two {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(14rem, 1fr));
  gap: 0 1rem;
}
.more {
  margin: 0 0 1rem;
  border: 1px solid var(--line);
  border-radius: 6px;
}
.more p {
  margin: 0.2rem 0;
}
details {
  margin: 0.4rem 0;
}
summary {
  cursor: pointer;
  padding: 0.4rem 0;
  font-weight: 600;
}
.failed {
  color: var(--alarm);
}
.act {
  margin-top: 0.8rem;
}
</style>
