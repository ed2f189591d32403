<script setup lang="ts">
// What is said before a link ends: for good, or for a new one.
import type { useRemoval } from '@/logic/removal'
import LossDialog from './LossDialog.vue'

defineProps<{ removal: ReturnType<typeof useRemoval>; renewal: ReturnType<typeof useRemoval> }>()
</script>

<template>
  <LossDialog :asking="removal.asking.value" @agree="removal.agree" @close="removal.leave" />
  <LossDialog
    :asking="renewal.asking.value"
    verb="Make a new link for"
    agree="Make a new link"
    leave="Keep the old one"
    @agree="renewal.agree"
    @close="renewal.leave"
  />
</template>
