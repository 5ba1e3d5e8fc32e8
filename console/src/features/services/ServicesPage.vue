<script setup lang="ts">
import { ref, watchEffect } from 'vue'
import { api, page } from '../../api/client'
import type { ServiceHead } from '../../api/types'
import ErrorAlert from '../../components/ErrorAlert.vue'

const services = ref<ServiceHead[] | null>(null)
const next = ref<Record<string, string> | null>(null)
const search = ref('')
const error = ref<unknown>(null)

async function show(query: object, before: ServiceHead[]) {
  const searched = search.value
  try {
    const found = await page(api.GET('/api/v1/services', { params: { query } }))
    if (searched !== search.value) return
    services.value = [...before, ...found.items]
    next.value = found.next
  } catch (fault) {
    error.value = fault
  }
}

watchEffect(() => {
  show({ limit: 100, search: search.value }, [])
})
</script>

<template>
  <ErrorAlert v-if="error" :error="error" />
  <v-card v-if="services">
    <v-card-title class="d-flex align-center">Services<v-spacer /><v-text-field v-model="search" label="Search" hide-details max-width="260" /></v-card-title>
    <table v-if="services.length" class="plain">
      <thead>
        <tr>
          <th>service</th>
          <th>tenant</th>
          <th>model</th>
          <th>devices</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="service in services" :key="service.name">
          <td>
            <router-link :to="'/services/' + service.name">{{ service.name }}</router-link>
          </td>
          <td>{{ service.tenant }}</td>
          <td>{{ service.model }} {{ service.modelVersion }}</td>
          <td>{{ service.devices.join(', ') }}</td>
        </tr>
      </tbody>
    </table>
    <v-card-text v-if="next"><v-btn variant="tonal" @click="show(next, services)">Show more</v-btn></v-card-text>
    <v-card-text v-if="!services.length">{{ search ? 'No service matches.' : 'No services.' }} <router-link to="/order">Create one.</router-link></v-card-text>
  </v-card>
</template>
