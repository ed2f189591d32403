<script setup lang="ts">
// The ways in which a link gets to its recipient: pasted, opened, or photographed.
import { computed, ref, watch } from 'vue'
import type { Publication } from '@/data/api'
import { useClosePage, useOpenPage } from '@/data/queries'
import { useProblems } from '@/logic/form'
import { webcal } from '@/logic/publication'

const props = defineProps<{ publication: Publication }>()
const open = defineModel<boolean>({ required: true })

const code = ref<{ size: number; path: string }>()
watch(
  () => open.value && props.publication.url,
  async (url) => {
    if (!url) return
    const { create } = await import('qrcode')
    const { size, data } = create(url, { errorCorrectionLevel: 'M' }).modules
    const dark = Array.from(data.keys()).filter((i) => data[i])
    code.value = { size, path: dark.map((i) => `M${i % size} ${Math.floor(i / size)}h1v1h-1z`).join('') }
  },
  { immediate: true },
)
const openPage = useOpenPage()
const closePage = useClosePage()
const problems = useProblems()
const busy = computed(() => openPage.isPending.value || closePage.isPending.value)
const frame = computed(() => `<iframe src="${props.publication.page ?? ''}" title="What is free"></iframe>`)
const mark = (e: FocusEvent) => (e.target as HTMLInputElement).select()
const person = computed(() => props.publication.platform.person ?? false)
</script>

<template>
  <el-dialog
    v-model="open"
    :title="`The link for ${publication.platform.name}`"
    width="min(34rem, 96vw)"
    append-to-body
  >
    <p v-if="person">
      In a calendar program: open the link below, or choose “subscribe by address” (often under “add a calendar”) and
      paste it. On a phone: point its camera at the square.
    </p>
    <p v-else>
      On {{ publication.platform.name }}: find where calendars are imported or synchronised (often under “calendar” or
      “availability”, as “import a calendar”), paste the link there, and choose the shortest interval it offers.
    </p>
    <p v-if="publication.user">
      It asks for the user name {{ publication.user }} and its password: give them that, too.
    </p>
    <p class="link">
      <label>Its address<input class="address" readonly :value="publication.url" @focus="mark" /></label>
    </p>
    <p><a :href="webcal(publication.url)">Open it in this machine's calendar program</a></p>
    <svg
      v-if="code"
      class="code"
      :viewBox="`-2 -2 ${code.size + 4} ${code.size + 4}`"
      role="img"
      :aria-label="`The link as a square for a camera`"
      shape-rendering="crispEdges"
    >
      <rect x="-2" y="-2" :width="code.size + 4" :height="code.size + 4" fill="#fff" />
      <path :d="code.path" fill="#000" />
    </svg>
    <section v-if="person">
      <h3>A page for everybody</h3>
      <template v-if="publication.page">
        <p>It shows what is free and what is taken, month by month, and nothing else.</p>
        <p>
          <label>Its address<input class="address page" readonly :value="publication.page" @focus="mark" /></label>
        </p>
        <p>
          <label>In a page of your own<input class="address" readonly :value="frame" @focus="mark" /></label>
        </p>
        <el-button :loading="busy" @click="problems.attempt(() => openPage.mutateAsync(publication.id))"
          >Another address</el-button
        >
        <el-button
          :loading="busy"
          type="danger"
          plain
          @click="problems.attempt(() => closePage.mutateAsync(publication.id))"
          >Close the page</el-button
        >
      </template>
      <template v-else>
        <p>What is free and what is taken, month by month, and nothing else, for guests or for your own site.</p>
        <el-button :loading="busy" @click="problems.attempt(() => openPage.mutateAsync(publication.id))"
          >Make the page</el-button
        >
      </template>
      <p v-if="problems.all.value" role="alert" class="failed">{{ problems.all.value }}</p>
    </section>
    <p class="soft small">Whoever has the link can read it. If it comes into the wrong hands, make a new one.</p>
  </el-dialog>
</template>

<style scoped>
.address {
  width: 100%;
  font: inherit;
  padding: 0.4rem;
  border: 1px solid var(--line);
  background: var(--paper);
  color: inherit;
}
.failed {
  color: var(--alarm);
}
h3 {
  font-size: var(--size-lead);
  margin-top: 1rem;
}
.code {
  width: 11rem;
  height: 11rem;
}
</style>
