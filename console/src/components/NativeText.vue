<script setup lang="ts">
import type { Line } from '../api/types'

defineProps<{ lines: Line[] }>()

const marks = { AROUND: ' ', COMES: '+', GOES: '-' }
const words = { AROUND: '', COMES: 'comes: ', GOES: 'goes: ' }
</script>

<template>
  <div class="native mono" role="list">
    <div v-for="(line, i) in lines" :key="i" :class="line.sign.toLowerCase()" role="listitem">
      <span class="mark" :aria-label="words[line.sign]">{{ marks[line.sign] }}</span>{{ line.text }}
    </div>
  </div>
</template>

<style scoped>
.native {
  white-space: pre;
  overflow-x: auto;
  padding: 8px 0;
}
.native > div {
  padding: 0 12px;
  min-width: max-content;
}
.mark {
  display: inline-block;
  width: 2ch;
}
.around {
  opacity: 0.65;
}
.comes {
  background: rgba(var(--v-theme-success), 0.14);
  color: rgb(var(--v-theme-success));
}
.goes {
  background: rgba(var(--v-theme-error), 0.12);
  color: rgb(var(--v-theme-error));
}
</style>
