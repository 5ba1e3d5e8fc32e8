<script setup lang="ts">
import { tone, words } from '../../labels/labels'

defineProps<{ state: string; inDoubt?: boolean }>()
</script>

<template>
  <v-chip v-if="inDoubt" color="error" size="small" variant="flat">in doubt</v-chip>
  <v-chip v-else :color="tone(state)" size="small" variant="tonal">{{ words(state) }}</v-chip>
</template>
