<script setup lang="ts">
import { onMounted, ref } from 'vue'
import { get, post, text } from '../api/client'
import type { DeviceDetail } from '../api/types'
import { time } from '../api/words'
import Mends from '../parts/Mends.vue'

const props = defineProps<{ name: string }>()
const detail = ref<DeviceDetail | null>(null)
const configuration = ref('')
const tab = ref('managed')
const error = ref<unknown>(null)
const told = ref('')
const busy = ref(false)

async function load() {
  detail.value = await get<DeviceDetail>('/devices/' + props.name)
  configuration.value = detail.value.device.readAt ? await text('/devices/' + props.name + '/configuration') : ''
}

async function read() {
  busy.value = true
  error.value = null
  try {
    const answer = await post<{ changes: Record<string, string> }>('/devices/' + props.name + '/readings', '')
    const changes = Object.entries(answer?.changes ?? {})
    told.value = changes.length ? 'Changed outside Rilvan: ' + changes.map(([path, kind]) => `${path} (${kind})`).join(', ') : 'Read. Nothing has changed since the last time.'
    await load()
  } catch (fault) {
    error.value = fault
  } finally {
    busy.value = false
  }
}

onMounted(() => load().catch((fault) => (error.value = fault)))
</script>

<template>
  <Mends v-if="error" :error="error" />
  <template v-if="detail">
    <div class="d-flex align-center mb-4">
      <div>
        <h1 class="text-headline-small">{{ name }}</h1>
        <div class="quiet">{{ detail.device.role }} in {{ detail.device.site }}, {{ detail.device.family }} at {{ detail.device.address }}; read {{ time(detail.device.readAt) || 'never' }}</div>
        <div class="quiet mono">{{ detail.hostKey ?? 'no host key is trusted yet' }}</div>
      </div>
      <v-spacer />
      <v-btn variant="tonal" :loading="busy" @click="read">Read it now</v-btn>
    </div>
    <v-alert v-if="told" type="info" variant="tonal" class="mb-4" closable @click:close="told = ''">{{ told }}</v-alert>
    <v-card>
      <v-tabs v-model="tab"><v-tab value="managed">What is managed</v-tab><v-tab value="configuration">Configuration</v-tab></v-tabs>
      <table v-if="tab === 'managed' && detail.managed.length" class="plain">
        <thead><tr><th>node</th><th>says</th><th>before</th><th>for</th><th>because of</th></tr></thead>
        <tbody>
          <tr v-for="managed in detail.managed" :key="managed.path">
            <td class="mono">{{ managed.path }}</td><td class="mono">{{ managed.value }}</td>
            <td class="mono">{{ managed.prior === null ? '' : managed.prior === managed.value ? 'the same' : managed.prior }}</td>
            <td><div v-for="owner in managed.owners" :key="owner.service + owner.origin"><router-link :to="'/services/' + owner.service">{{ owner.service }}</router-link></div></td>
            <td><div v-for="owner in managed.owners" :key="owner.service + owner.origin">{{ owner.clause }} <span class="quiet">({{ owner.model }}, {{ owner.origin }})</span></div></td>
          </tr>
        </tbody>
      </table>
      <v-card-text v-else-if="tab === 'managed'">Nothing on this device is managed.</v-card-text>
      <pre v-else class="mono pa-4 overflow-x-auto">{{ configuration || 'never read' }}</pre>
    </v-card>
  </template>
</template>
