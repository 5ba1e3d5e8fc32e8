<script setup lang="ts">
import type { Line } from '../../api/types'
import NativeText from '../../components/NativeText.vue'

defineProps<{ devices: Record<string, Line[]> }>()

function count(lines: Line[], sign: Line['sign']) {
  return lines.filter((line) => line.sign === sign).length
}
</script>

<template>
  <div class="changes">
    <v-card v-for="(lines, device) in devices" :key="device">
      <div class="head">
        <router-link :to="'/devices/' + device">{{ device }}</router-link>
        <span class="text-success">+{{ count(lines, 'COMES') }}</span>
        <span class="text-error">−{{ count(lines, 'GOES') }}</span>
      </div>
      <NativeText :lines="lines" />
    </v-card>
  </div>
</template>

<style scoped>
.changes {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(420px, 1fr));
  gap: 16px;
}
.head {
  display: flex;
  gap: 12px;
  padding: 10px 12px;
  border-bottom: 1px solid rgba(128, 128, 128, 0.25);
}
</style>
