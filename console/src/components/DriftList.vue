<script setup lang="ts">
import { computed, ref } from 'vue'
import { api } from '../api/client'
import { may } from '../api/me'
import type { Drift } from '../api/types'
import { time } from '../labels/labels'
import DriftedNode from './DriftedNode.vue'
import ErrorAlert from './ErrorAlert.vue'

/** Managed nodes that were changed outside Rilvan, and what can be decided about them. */
const props = defineProps<{ drift: Drift[] }>()
const emit = defineEmits<{ decided: [] }>()
const deciding = ref<Drift | null>(null)
const reason = ref('')
const error = ref<unknown>(null)

const open = computed(() => props.drift.filter((each) => each.leftBy === null))
const devices = computed(() => [...new Set(open.value.map((each) => each.device))])

async function leave() {
  error.value = null
  try {
    const { device, path } = deciding.value!
    await api.POST('/api/v1/devices/{name}/drift-decisions', { params: { path: { name: device } }, body: { path, reason: reason.value } })
    deciding.value = null
    reason.value = ''
    emit('decided')
  } catch (fault) {
    error.value = fault
  }
}
</script>

<template>
  <v-alert
    v-if="drift.length"
    :type="open.length ? 'warning' : 'info'"
    variant="tonal"
    class="mb-4"
    :title="open.length ? 'Drift: changed outside Rilvan' : 'Changed outside Rilvan, and left so'"
  >
    <ErrorAlert v-if="error" :error="error" />
    <div v-for="each in drift" :key="each.device + each.path" class="node">
      <span>
        <DriftedNode :node="each" />
        <span class="quiet">, found {{ time(each.foundAt) }}</span>
        <span v-if="each.leftBy" class="quiet">; left by {{ each.leftBy }}: {{ each.reason }}</span>
      </span>
      <v-btn v-if="!each.leftBy && may('run')" size="small" variant="text" @click="deciding = each">Leave as it is</v-btn>
    </div>
    <v-form v-if="deciding" class="d-flex align-center mt-3" @submit.prevent="leave">
      <v-text-field v-model="reason" :label="'Why does ' + deciding.path + ' stay as it is?'" density="compact" hide-details autofocus />
      <v-btn type="submit" class="ml-3" variant="tonal">Leave</v-btn>
      <v-btn class="ml-1" variant="text" @click="deciding = null">Not now</v-btn>
    </v-form>
    <div v-if="devices.length && may('prepare')" class="mt-3">
      <v-btn v-for="device in devices" :key="device" class="mr-2" size="small" variant="tonal" :to="{ path: '/order', query: { restore: device } }"
        >Restore {{ device }}: preview</v-btn
      >
    </div>
  </v-alert>
</template>

<style scoped>
.node,
.node .quiet {
  color: rgb(var(--v-theme-on-surface));
}
.node {
  display: flex;
  align-items: center;
  justify-content: space-between;
  overflow-wrap: anywhere;
}
</style>
