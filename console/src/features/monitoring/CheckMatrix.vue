<script setup lang="ts">
import { mdiCheck, mdiClockOutline, mdiClose, mdiShieldCheckOutline } from '@mdi/js'
import { computed } from 'vue'
import type { CheckResult } from '../../api/types'
import { counts, observations, words } from '../../labels/labels'
import { matrices } from './matrix'

const props = defineProps<{ checks: CheckResult[] }>()
const tables = computed(() => matrices(props.checks))
const tone = (check: CheckResult) => (!counts(check) ? 'secondary' : check.passed ? 'success' : 'error')
const icon = (check: CheckResult) => (!counts(check) ? mdiClockOutline : !check.passed ? mdiClose : check.wanted ? mdiCheck : mdiShieldCheckOutline)
</script>

<template>
  <div v-for="table in tables" :key="table.observation" class="mb-4">
    <div class="px-3 pt-3">{{ observations[table.observation] ?? table.observation }}</div>
    <div class="overflow-x-auto">
      <table class="plain matrix">
        <thead>
          <tr>
            <th>{{ table.to[0] ? 'from' : '' }}</th>
            <th v-for="to in table.to" :key="to" class="cell">
              <template v-for="(word, i) in to.split(' ')" :key="i"
                >{{ i ? ' ' : '' }}<span class="text-no-wrap">{{ word }}</span></template
              >
            </th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="row in table.rows" :key="row.from">
            <td class="text-no-wrap">{{ row.from }}</td>
            <td v-for="(check, i) in row.cells" :key="i" class="cell">
              <v-icon
                v-if="check"
                :icon="icon(check)"
                :color="tone(check)"
                :title="check.value"
                :aria-label="(!counts(check) ? words(check.covers) + ': ' : check.passed ? 'pass: ' : 'fail: ') + check.value"
              />
              <span v-else class="quiet">·</span>
            </td>
          </tr>
        </tbody>
      </table>
    </div>
  </div>
</template>

<style scoped>
.matrix {
  width: auto;
  table-layout: auto;
}
.cell {
  text-align: center !important;
}
th.cell {
  white-space: normal;
  text-wrap: balance;
}
</style>
