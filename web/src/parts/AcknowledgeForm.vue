<script setup lang="ts">
import { ref } from 'vue'
import { useAcknowledge } from '@/data/queries'

const props = defineProps<{ conflict: number }>()
const acknowledge = useAcknowledge()
const note = ref('')
const asking = ref(false)

async function send() {
  await acknowledge.mutateAsync({ id: props.conflict, note: note.value }).catch(() => undefined) // shown below
  if (!acknowledge.error.value) asking.value = false
}
</script>

<template>
  <div class="act">
    <template v-if="asking">
      <el-input
        v-model="note"
        placeholder="What is being done? (may stay empty)"
        aria-label="Note"
        @keyup.enter="send"
      />
      <el-button type="primary" :loading="acknowledge.isPending.value" @click="send">Acknowledge</el-button>
      <el-button text @click="asking = false">Not now</el-button>
    </template>
    <el-button v-else size="small" @click="asking = true">I am dealing with it</el-button>
    <p v-if="acknowledge.error.value" role="alert" class="failed">{{ acknowledge.error.value.message }}</p>
  </div>
</template>

<style scoped>
.act {
  display: flex;
  flex-wrap: wrap;
  gap: 0.5rem;
  max-width: 40rem;
}
.act .el-input {
  flex: 1 1 14rem;
}
.failed {
  color: var(--alarm);
}
</style>
