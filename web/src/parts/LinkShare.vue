<script setup lang="ts">
// The ways in which a link gets to its recipient: pasted, opened, or photographed.
import { computed, ref, watch } from 'vue'
import type { Publication } from '@/data/api'
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
      <label
        >Its address<input
          class="address"
          readonly
          :value="publication.url"
          @focus="($event.target as HTMLInputElement).select()"
      /></label>
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
.code {
  width: 11rem;
  height: 11rem;
}
</style>
