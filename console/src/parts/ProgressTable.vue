<script setup lang="ts">
import { mdiAlert, mdiCheck, mdiClose, mdiDotsHorizontal } from '@mdi/js'
import { computed } from 'vue'
import type { Step } from '../api/types'
import { phases } from '../api/words'
import { columns, rows } from './progress'

const props = defineProps<{ devices: string[]; steps: Step[] }>()

const heads = computed(() => columns(props.steps))
const lines = computed(() => rows(props.devices, props.steps))
const looks = {
  BEGINS: { icon: mdiDotsHorizontal, tone: 'primary', says: 'under way' },
  WARNS: { icon: mdiAlert, tone: 'warning', says: 'warns' },
  SUCCEEDS: { icon: mdiCheck, tone: 'success', says: 'ok' },
  FAILS: { icon: mdiClose, tone: 'error', says: 'failed' },
  IN_DOUBT: { icon: mdiAlert, tone: 'error', says: 'in doubt' },
}
</script>

<template>
  <table class="plain progress">
    <thead>
      <tr><th>device</th><th v-for="phase in heads" :key="phase" class="cell">{{ phases[phase] }}</th></tr>
    </thead>
    <tbody>
      <tr v-for="row in lines" :key="row.device">
        <td><router-link :to="'/devices/' + row.device">{{ row.device }}</router-link></td>
        <td v-for="phase in heads" :key="phase" class="cell">
          <v-icon v-if="row.cells[phase] && row.cells[phase].word !== 'NOT_YET'" :icon="looks[row.cells[phase].word as keyof typeof looks].icon"
            :color="looks[row.cells[phase].word as keyof typeof looks].tone" :aria-label="looks[row.cells[phase].word as keyof typeof looks].says"
            :title="row.cells[phase].text" />
          <span v-else class="quiet">·</span>
        </td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
.progress { table-layout: auto; }
.cell { text-align: center !important; }
</style>
