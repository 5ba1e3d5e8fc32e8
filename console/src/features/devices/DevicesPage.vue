<script setup lang="ts">
import { computed, onMounted, ref } from 'vue'
import { all, api } from '../../api/client'
import type { Device } from '../../api/types'
import { time } from '../../labels/labels'
import ErrorAlert from '../../components/ErrorAlert.vue'

const devices = ref<Device[] | null>(null)
const search = ref('')
const error = ref<unknown>(null)
const shown = computed(() =>
  (devices.value ?? []).filter((device) =>
    [device.name, device.role, device.site, device.family, ...device.services].join(' ').toLowerCase().includes(search.value.toLowerCase()),
  ),
)

onMounted(() =>
  all((query) => api.GET('/api/v1/devices', { params: { query } })).then(
    (found) => (devices.value = found),
    (fault) => (error.value = fault),
  ),
)
</script>

<template>
  <ErrorAlert v-if="error" :error="error" />
  <v-card v-if="devices">
    <v-card-title class="d-flex align-center">Devices<v-spacer /><v-text-field v-model="search" label="Search" hide-details max-width="260" /></v-card-title>
    <table class="plain">
      <thead>
        <tr>
          <th>device</th>
          <th>role</th>
          <th>site</th>
          <th>family</th>
          <th>address</th>
          <th>read</th>
          <th>services</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="device in shown" :key="device.name">
          <td>
            <router-link :to="'/devices/' + device.name">{{ device.name }}</router-link>
          </td>
          <td>{{ device.role }}</td>
          <td>{{ device.site }}</td>
          <td>{{ device.family }}</td>
          <td class="mono">{{ device.address }}</td>
          <td>
            <v-chip v-if="!device.trusted" color="warning" size="small">host key not trusted</v-chip>
            <router-link v-else-if="device.heldBy" :to="'/orders/' + device.heldBy">held by order {{ device.heldBy }}</router-link>
            <template v-else>{{ time(device.readAt) || 'never' }}</template>
            <v-chip v-if="device.drifted" class="ml-2" color="warning" size="small">drift</v-chip>
          </td>
          <td>
            <div v-for="service in device.services" :key="service">
              <router-link :to="'/services/' + service">{{ service }}</router-link>
            </div>
          </td>
        </tr>
      </tbody>
    </table>
  </v-card>
</template>
