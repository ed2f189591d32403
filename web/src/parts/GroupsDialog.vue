<script setup lang="ts">
// The groups in which calendars are shown: their names and their order.
import { computed, ref, watch } from 'vue'
import { useEditGroup, useGroups } from '@/data/queries'
import { useProblems } from '@/logic/form'

const props = defineProps<{ modelValue: boolean }>()
const emit = defineEmits<{ 'update:modelValue': [open: boolean] }>()
const open = computed({ get: () => props.modelValue, set: (value) => emit('update:modelValue', value) })

const groups = useGroups()
const edit = useEditGroup()
const problems = useProblems()
const all = computed(() => groups.data.value ?? [])
const names = ref<Record<number, string>>({})
watch(all, (now) => (names.value = Object.fromEntries(now.map((g) => [g.id, g.name]))), { immediate: true })

const change = (i: number, what: { name?: string; before?: number }) => {
  const g = all.value[i]
  return g && problems.attempt(() => edit.mutateAsync({ id: g.id, body: { revision: g.revision, ...what } }))
}
const rename = (i: number) => change(i, { name: names.value[all.value[i]?.id ?? 0]?.trim() ?? '' })
/** Puts a group one place up or down. */
const move = (i: number, by: -1 | 1) => change(i, { before: all.value[by < 0 ? i - 1 : i + 2]?.id ?? 0 })
</script>

<template>
  <el-dialog v-model="open" title="Groups of calendars" width="min(30rem, 96vw)" append-to-body>
    <p v-if="all.length === 0">No groups yet: name one in the settings of a calendar.</p>
    <ol v-else>
      <li v-for="(g, i) in all" :key="g.id">
        <el-input v-model="names[g.id]" :aria-label="`Name of ${g.name}`" @change="rename(i)" />
        <el-button :disabled="i === 0" :aria-label="`${g.name} up`" @click="move(i, -1)">↑</el-button>
        <el-button :disabled="i === all.length - 1" :aria-label="`${g.name} down`" @click="move(i, 1)">↓</el-button>
      </li>
    </ol>
    <p v-if="problems.all.value" role="alert" class="failed">{{ problems.of('name') || problems.all.value }}</p>
    <p class="soft small">A calendar’s group is named in its settings; a group without calendars is gone.</p>
  </el-dialog>
</template>

<style scoped>
ol {
  list-style: none;
  margin: 0 0 0.6rem;
  padding: 0;
  display: grid;
  gap: 0.4rem;
}
li {
  display: flex;
  gap: 0.4rem;
}
li .el-button + .el-button {
  margin-left: 0;
}
.failed {
  color: var(--alarm);
}
</style>
