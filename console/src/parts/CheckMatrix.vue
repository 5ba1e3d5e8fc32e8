<script setup lang="ts">
import { mdiCheck, mdiClockOutline, mdiClose, mdiShieldCheckOutline } from '@mdi/js'
import { computed } from 'vue'
import type { Made } from '../api/types'
import { observations } from '../api/words'
import { matrices } from './matrix'

const props = defineProps<{ checks: Made[] }>()
const tables = computed(() => matrices(props.checks))
const awaited = (check: Made) => check.proves === 'AWAITED'
const tone = (check: Made) => (awaited(check) ? 'secondary' : check.holds ? 'success' : 'error')
const icon = (check: Made) => (awaited(check) ? mdiClockOutline : !check.holds ? mdiClose : check.wanted ? mdiCheck : mdiShieldCheckOutline)
</script>

<template>
  <div v-for="table in tables" :key="table.observation" class="mb-4">
    <div class="px-3 pt-3">{{ observations[table.observation] ?? table.observation }}</div>
    <div class="overflow-x-auto">
      <table class="plain matrix">
        <thead><tr><th>from</th><th v-for="to in table.to" :key="to" class="cell"><template v-for="(word, i) in to.split(' ')" :key="i">{{ i ? ' ' : '' }}<span class="text-no-wrap">{{ word }}</span></template></th></tr></thead>
        <tbody>
          <tr v-for="row in table.rows" :key="row.from">
            <td class="text-no-wrap">{{ row.from }}</td>
            <td v-for="(check, i) in row.cells" :key="i" class="cell">
              <v-icon v-if="check" :icon="icon(check)" :color="tone(check)" :title="check.seen" :aria-label="(awaited(check) ? 'awaited: ' : check.holds ? 'as it must be: ' : 'not as it must be: ') + check.seen" />
              <span v-else class="quiet">·</span>
            </td>
          </tr>
        </tbody>
      </table>
    </div>
  </div>
</template>

<style scoped>
.matrix { width: auto; table-layout: auto; }
.cell { text-align: center !important; }
th.cell { white-space: normal; text-wrap: balance; }
</style>
