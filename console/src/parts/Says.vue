<script setup lang="ts">
import { inWords, saying } from '../api/words'

defineProps<{ values: Record<string, unknown> }>()
</script>

<template>
  <span class="mono"><span v-for="[name, value] in saying(values)" :key="name" class="field"><span class="quiet">{{ name }}</span> {{ inWords(value) }}</span></span>
</template>

<style scoped>
.field { display: inline-block; margin-right: 16px; }
</style>
