<script setup lang="ts">
import { states } from '../api/words'

defineProps<{ state: string; inDoubt?: boolean; goesBack?: boolean }>()
</script>

<template>
  <v-chip v-if="inDoubt" color="error" size="small" variant="flat">in doubt</v-chip>
  <v-chip v-else-if="goesBack" color="warning" size="small" variant="tonal">going back</v-chip>
  <v-chip v-else :color="states[state]?.tone" size="small" variant="tonal">{{ states[state]?.text ?? state }}</v-chip>
</template>
