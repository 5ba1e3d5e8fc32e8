<script setup lang="ts">
import { oneLine, filled } from '../labels/labels'

defineProps<{ values: Record<string, unknown> }>()
</script>

<template>
  <span class="mono"
    ><span v-for="[name, value] in filled(values)" :key="name" class="field"
      ><span class="quiet">{{ name }}</span> {{ oneLine(value) }}</span
    ></span
  >
</template>

<style scoped>
.field {
  display: inline-block;
  margin-right: 16px;
}
</style>
