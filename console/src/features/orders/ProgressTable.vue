<script setup lang="ts">
import { mdiAlert, mdiCheck, mdiClose, mdiDotsHorizontal } from '@mdi/js'
import { computed } from 'vue'
import type { Result, Step } from '../../api/types'
import { words } from '../../labels/labels'
import { columns, rows } from './progress'

const props = defineProps<{ devices: string[]; steps: Step[] }>()

const heads = computed(() => columns(props.steps))
const lines = computed(() => rows(props.devices, props.steps))
const looks: Record<Result, { icon: string; tone: string; label: string }> = {
  STARTED: { icon: mdiDotsHorizontal, tone: 'primary', label: 'running' },
  WARNING: { icon: mdiAlert, tone: 'warning', label: 'warning' },
  OK: { icon: mdiCheck, tone: 'success', label: 'ok' },
  FAILED: { icon: mdiClose, tone: 'error', label: 'failed' },
  IN_DOUBT: { icon: mdiAlert, tone: 'error', label: 'in doubt' },
}
</script>

<template>
  <table class="plain progress">
    <thead>
      <tr>
        <th>device</th>
        <th v-for="phase in heads" :key="phase" class="cell">{{ words(phase) }}</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="row in lines" :key="row.device">
        <td>
          <router-link :to="'/devices/' + row.device">{{ row.device }}</router-link>
        </td>
        <td v-for="phase in heads" :key="phase" class="cell">
          <v-icon
            v-if="row.cells[phase]"
            :icon="looks[row.cells[phase].result].icon"
            :color="looks[row.cells[phase].result].tone"
            :aria-label="looks[row.cells[phase].result].label"
            :title="row.cells[phase].text"
          />
          <span v-else class="quiet">·</span>
        </td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
.progress {
  table-layout: auto;
}
.cell {
  text-align: center !important;
}
</style>
